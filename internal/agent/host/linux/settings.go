//go:build linux

package linux

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"strings"
)

// withSettings gives a file of settings other values. The last line of a key is replaced, since it counts; a key
// without a line gets one at the end. All else stays.
func withSettings(text, separator string, values ...setting) string {
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	for _, v := range values {
		at := -1
		for i, line := range lines {
			if _, there := assignments(line, cmp.Or(strings.TrimSpace(separator), " "))[v.key]; there {
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

// file is one of the system as it was, so that it can be put back.
type file struct {
	Path string      `json:"path"`
	Text []byte      `json:"text"` // nil when it was not there
	Mode os.FileMode `json:"mode"`
}

// keep reads files as they are.
func keep(paths ...string) ([]file, error) {
	var files []file
	for _, path := range paths {
		info, err := os.Stat(path)
		if errors.Is(err, os.ErrNotExist) {
			files = append(files, file{Path: path})
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
		if f.Text == nil {
			if failed = os.Remove(f.Path); errors.Is(failed, os.ErrNotExist) {
				failed = nil
			}
		} else if now, readErr := os.ReadFile(f.Path); readErr != nil || string(now) != string(f.Text) {
			failed = writeThrough(f.Path, f.Text, f.Mode)
		}
		if failed != nil {
			err = errors.Join(err, fmt.Errorf("putting back %s: %w", f.Path, failed))
		}
	}
	return err
}
