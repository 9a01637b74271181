//go:build linux

package linux

import (
	"errors"
	"fmt"
	"os"
	"strings"

	"rankwarden.example/internal/durably"
)

// withSettings gives a file of settings other values. The last line of a key is replaced, since it counts; a key without
// a line gets one at the end. All else stays.
func withSettings(text, separator string, values ...setting) string {
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	for _, v := range values {
		at := -1
		for i, line := range lines {
			if _, there := assignments(line, strings.TrimSpace(separator)+onlyBlank(separator))[v.key]; there {
				at = i
			}
		}
		line := v.key + separator + v.value
		if at >= 0 {
			lines[at] = line
		} else {
			lines = append(lines, line)
		}
	}
	return strings.Join(lines, "\n") + "\n"
}

// setting is one of such a file.
type setting struct{ key, value string }

// onlyBlank is a blank for separators that are nothing else.
func onlyBlank(separator string) string {
	if strings.TrimSpace(separator) == "" {
		return " "
	}
	return ""
}

// file is one of the system as it was, so that it can be put back.
type file struct {
	path string
	text []byte // nil when it was not there
	mode os.FileMode
}

// keep reads files as they are.
func keep(paths ...string) ([]file, error) {
	var files []file
	for _, path := range paths {
		info, err := os.Stat(path)
		if errors.Is(err, os.ErrNotExist) {
			files = append(files, file{path: path})
			continue
		}
		if err != nil {
			return nil, err
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		files = append(files, file{path, append([]byte{}, text...), info.Mode().Perm()})
	}
	return files, nil
}

// putBack makes files what they were.
func putBack(files []file) (err error) {
	for _, f := range files {
		var failed error
		if f.text == nil {
			if failed = os.Remove(f.path); errors.Is(failed, os.ErrNotExist) {
				failed = nil
			}
		} else if now, readErr := os.ReadFile(f.path); readErr != nil || string(now) != string(f.text) {
			failed = durably.Write(f.path, f.text, f.mode)
		}
		if failed != nil {
			err = errors.Join(err, fmt.Errorf("putting back %s: %w", f.path, failed))
		}
	}
	return err
}
