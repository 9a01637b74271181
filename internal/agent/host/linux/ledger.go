//go:build linux

package linux

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"rankwarden.example/internal/kit/atomicfile"
)

// overwritten is a file of the system that the agent wrote: what it was before, and what the agent wrote last.
type overwritten struct {
	Before []byte      `json:"before"` // nil where it was not there
	Mode   fs.FileMode `json:"mode"`
	Wrote  string      `json:"wrote"` // digest
}

func digest(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// writeFile gives a file of the system another text, and remembers what was there before the first time. A symbolic
// link is followed, not replaced.
func (h *Host) writeFile(path, text string) error {
	before, err := os.ReadFile(path)
	mode := fs.FileMode(0o644)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		before = nil
	case err != nil:
		return err
	case string(before) == text:
		return nil
	default:
		info, err := os.Stat(path)
		if err != nil {
			return err
		}
		mode, before = info.Mode().Perm(), append([]byte{}, before...)
	}
	if h.kept.Files == nil {
		h.kept.Files = map[string]*overwritten{}
	}
	if h.kept.Files[path] == nil {
		h.kept.Files[path] = &overwritten{Before: before, Mode: mode}
	}
	h.kept.Files[path].Wrote = digest([]byte(text))
	if err := h.kept.write(h.keptPath()); err != nil {
		return err
	}
	return writeThrough(path, []byte(text), mode)
}

// writeThrough replaces a file whole and durably, or the one that a symbolic link leads to.
func writeThrough(path string, text []byte, mode fs.FileMode) error {
	if end, err := filepath.EvalSymlinks(path); err == nil {
		path = end
	}
	return atomicfile.Write(path, text, mode)
}

// ErrWrittenSince is matched where somebody else wrote a file after the agent, so that it stays as it is.
var ErrWrittenSince = errors.New("somebody else changed it since, so that it stays as it is")

// giveBackFile makes a file what it was before the agent wrote it, byte for byte.
func (h *Host) giveBackFile(path string) error {
	w := h.kept.Files[path]
	if w == nil {
		return nil
	}
	now, err := os.ReadFile(path)
	switch {
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return err
	case err == nil && bytes.Equal(now, w.Before) && w.Before != nil:
	case err != nil && w.Before == nil:
	case err != nil || digest(now) != w.Wrote:
		return fmt.Errorf("%s: %w", path, ErrWrittenSince)
	case w.Before == nil:
		if err := os.Remove(path); err != nil {
			return err
		}
	default:
		if err := writeThrough(path, w.Before, w.Mode); err != nil {
			return err
		}
	}
	delete(h.kept.Files, path)
	return h.kept.write(h.keptPath())
}

// undoing keeps files as they are; what it gives puts them back when something failed.
func (h *Host) undoing(paths ...string) (undo func(err error) error, err error) {
	before, err := keep(paths...)
	if err != nil {
		return nil, err
	}
	known := map[string]overwritten{}
	for _, path := range paths {
		if w := h.kept.Files[path]; w != nil {
			known[path] = *w
		}
	}
	return func(err error) error {
		if err == nil {
			return nil
		}
		err = errors.Join(err, putBack(before))
		for _, path := range paths {
			if w, was := known[path]; was {
				h.kept.Files[path] = &w
			} else {
				delete(h.kept.Files, path)
			}
		}
		return errors.Join(err, h.kept.write(h.keptPath()))
	}, nil
}

// was is the text of a file before the agent wrote it; what it is now where the agent did not.
func (h *Host) was(path string) string {
	if w := h.kept.Files[path]; w != nil {
		return string(w.Before)
	}
	return string(readOr(path))
}
