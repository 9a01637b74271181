//go:build linux

package linux

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

var _ host.ClearsKeys = (*Host)(nil)

// defaultKeyFiles is where sshd looks for the keys of somebody unless it is told otherwise, see sshd_config(5).
const defaultKeyFiles = ".ssh/authorized_keys .ssh/authorized_keys2"

// ClearKeys implements [host.ClearsKeys]: files are removed wherever sshd looks for them. A link is removed, and what
// it leads to stays; nothing outside of the home directory is touched for a path inside it.
func (h *Host) ClearKeys(ctx context.Context, account principal.SID) (files int, err error) {
	err = h.on(ctx, account, func(_ database, p person) error {
		patterns, err := h.keyFiles(ctx, p)
		if err != nil {
			return err
		}
		for pattern := range strings.FieldsSeq(patterns) {
			took, err := removeKeys(p, pattern)
			if err != nil {
				return err
			}
			if took {
				files++
			}
		}
		return nil
	})
	return files, err
}

// keyFiles is where sshd looks for the keys of an account, as it says itself.
func (h *Host) keyFiles(ctx context.Context, p person) (string, error) {
	if !h.Tools.has("sshd") {
		return defaultKeyFiles, nil // it may come later
	}
	out, err := h.Tools.run(ctx, "", "sshd", "-T", "-C", "user="+p.name+",host=localhost,addr=127.0.0.1")
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	if err != nil {
		return defaultKeyFiles, nil // it does not start either
	}
	for line := range strings.Lines(out) {
		if value, found := strings.CutPrefix(strings.TrimSpace(line), "authorizedkeysfile "); found {
			return value, nil
		}
	}
	return defaultKeyFiles, nil
}

// removeKeys removes a file of keys, and reports whether there was one with something in it.
func removeKeys(p person, pattern string) (bool, error) {
	if pattern == "none" {
		return false, nil
	}
	path := strings.NewReplacer("%%", "%", "%h", p.home, "%u", p.name).Replace(pattern)
	base := p.home
	if rel, err := filepath.Rel(p.home, path); filepath.IsAbs(path) && (err != nil || strings.HasPrefix(rel, "..")) {
		base = filepath.Dir(path) // of the system, where people do not write
	}
	if filepath.IsAbs(path) {
		rel, err := filepath.Rel(base, path)
		if err != nil {
			return false, err
		}
		path = rel
	}
	root, err := os.OpenRoot(base)
	if errors.Is(err, fs.ErrNotExist) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer root.Close()
	info, err := root.Lstat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	return info.Size() > 0, root.RemoveAll(path)
}
