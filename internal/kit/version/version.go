// Package version says which version a program of Rank Warden is.
package version

import (
	_ "embed"
	"runtime/debug"
	"strings"
)

//go:embed VERSION
var file string

// Number is the version, MAJOR.MINOR.PATCH.
func Number() string { return strings.TrimSpace(file) }

// Long is the version with the revision that it was built from, where that is known.
func Long() string {
	info, known := debug.ReadBuildInfo()
	if !known {
		return Number()
	}
	revision, changed := "", ""
	for _, s := range info.Settings {
		switch {
		case s.Key == "vcs.revision":
			revision = s.Value[:min(len(s.Value), 12)]
		case s.Key == "vcs.modified" && s.Value == "true":
			changed = ", changed since"
		}
	}
	if revision == "" {
		return Number()
	}
	return Number() + " (" + revision + changed + ")"
}
