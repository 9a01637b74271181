package host

import "strings"

// What devices say of their own operating system.
const (
	PlatformLinux   = "linux"
	PlatformWindows = "windows"
)

// FirmwareWord is what a device's firmware tells of it; makers leave some words as a placeholder, which is nothing.
func FirmwareWord(word string) string {
	word = strings.TrimSpace(word)
	switch strings.ToLower(word) {
	case "none", "not specified", "to be filled by o.e.m.", "default string", "system serial number",
		"system product name", "0":
		return ""
	}
	return word
}
