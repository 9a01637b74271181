//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

var _ host.MovesFiles = (*Host)(nil)

// homes is the directory in which people have their files.
const homes = "/home"

// MoveFiles implements [host.MovesFiles]: the home directory goes to /home/removed-DAY, which is root's alone.
func (h *Host) MoveFiles(ctx context.Context, account principal.SID, day string) error {
	return h.on(ctx, account, func(_ database, p person) error {
		info, err := os.Lstat(p.home)
		switch {
		case errors.Is(err, os.ErrNotExist):
			return nil
		case err != nil:
			return err
		case filepath.Dir(filepath.Clean(p.home)) != homes || !info.IsDir():
			return fmt.Errorf("its files are in %s, and only a directory right below %s is moved; give the order with "+
				"the files kept", p.home, homes)
		}
		into := filepath.Join(homes, "removed-"+day)
		if err := os.Mkdir(into, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
			return err
		}
		to := filepath.Join(into, fmt.Sprintf("%s-%d", filepath.Base(p.home), p.uid))
		if _, err := os.Lstat(to); err == nil {
			return fmt.Errorf("%s is there already; move it away", to)
		}
		return os.Rename(p.home, to)
	})
}
