//go:build linux

package linux

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// Where services of PAM are described, the stronger one first, and where its modules are; see pam.d(5).
var (
	pamDirs    = []string{pamDir, "/usr/lib/pam.d"}
	moduleDirs = []string{"/lib/*/security", "/usr/lib/*/security", "/lib/security", "/usr/lib/security",
		"/usr/lib64/security"}
)

// pamLine is a line of pam.d(5).
type pamLine struct {
	file    string // its name
	number  int
	kind    string // auth, account, password or session; empty for a line that includes a file whole
	control string
	module  string // the name of the module, or of the file that is included
	args    []string
	quiet   bool // the module may be missing
}

// String says where the line is.
func (l pamLine) String() string {
	return fmt.Sprintf("%s line %d", shortPath(filepath.Join(pamDir, l.file)), l.number)
}

// includes reports whether the line stands for those of another file.
func (l pamLine) includes() bool {
	return l.control == "include" || l.control == "substack" || l.kind == ""
}

// pam are the lines of all services, by the name of the file.
type pam map[string][]pamLine

// readPAM reads how people sign in.
func readPAM() (pam, map[string]string) {
	all, texts := pam{}, map[string]string{}
	for _, dir := range slices.Backward(pamDirs) {
		entries, _ := os.ReadDir(dir) // a system may have one of them only
		for _, e := range entries {
			text := string(readOr(filepath.Join(dir, e.Name())))
			all[e.Name()], texts[e.Name()] = parsePAM(e.Name(), text), text
		}
	}
	return all, texts
}

// brackets are a control or an argument with blanks in it.
var brackets = regexp.MustCompile(`\[[^\]]*\]|\S+`)

func parsePAM(file, text string) []pamLine {
	var lines []pamLine
	joined, began := "", 0
	number := 0
	for line := range strings.Lines(text) {
		number++
		line = strings.TrimRight(line, "\r\n")
		if joined == "" {
			began = number
		}
		if rest, goesOn := strings.CutSuffix(line, `\`); goesOn {
			joined += rest + " "
			continue
		}
		line, _, _ = strings.Cut(joined+line, "#")
		joined = ""
		fields := brackets.FindAllString(line, -1)
		switch {
		case len(fields) == 2 && fields[0] == "@include":
			lines = append(lines, pamLine{file: file, number: began, module: fields[1]})
		case len(fields) >= 3:
			kind, quiet := strings.CutPrefix(fields[0], "-")
			lines = append(lines, pamLine{file: file, number: began, kind: strings.ToLower(kind), control: fields[1],
				module: filepath.Base(fields[2]), args: fields[3:], quiet: quiet})
		}
	}
	return lines
}

// mostIncluded bounds files that include each other.
const mostIncluded = 20

// stack are the lines of a service of one kind, with those of included files in their place.
func (p pam) stack(service, kind string) []pamLine { return p.follow(service, kind, mostIncluded) }

func (p pam) follow(file, kind string, deep int) []pamLine {
	var lines []pamLine
	for _, l := range p[file] {
		switch {
		case l.kind != "" && l.kind != kind:
		case !l.includes():
			lines = append(lines, l)
		case deep > 0:
			lines = append(lines, p.follow(l.module, kind, deep-1)...)
		}
	}
	return lines
}

// shared are the files that services include, of the families of systems.
var shared = map[string][]string{
	"auth":     {"common-auth", "system-auth", "password-auth"},
	"account":  {"common-account", "system-auth", "password-auth"},
	"password": {"common-password", "system-auth", "password-auth"},
}

// calls are the calls of a module in what services share.
func (p pam) calls(kind, name string) []module {
	var found []module
	for _, file := range shared[kind] {
		for _, l := range p.stack(file, kind) {
			if l.module == name {
				found = append(found, l.args)
			}
		}
	}
	return found
}

// module is a call of a module: its arguments.
type module []string

// arg is the value of an argument such as remember=5.
func (m module) arg(key string) (string, bool) {
	for _, a := range slices.Backward(m) {
		if value, found := strings.CutPrefix(a, key+"="); found {
			return value, true
		}
	}
	return "", false
}

// moduleFile is the file of a module, empty where the device lacks it.
func moduleFile(name string) string {
	for _, dir := range moduleDirs {
		if found := globbed(filepath.Join(dir, name)); len(found) > 0 {
			return found[0]
		}
	}
	return ""
}

// hasModule reports whether a module of PAM is on the device.
func hasModule(name string) bool { return moduleFile(name) != "" }

// lets reports whether a line that succeeds ends the stack there, or leaves lines after it out, up to the line given.
func (l pamLine) lets(before int) bool {
	if l.control == "sufficient" {
		return true
	}
	for word := range strings.FieldsSeq(strings.Trim(l.control, "[]")) {
		value, of := strings.CutPrefix(word, "success=")
		if of && (value == "done" || natural(value) >= before) {
			return true
		}
	}
	return false
}
