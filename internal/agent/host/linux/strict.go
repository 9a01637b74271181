//go:build linux

package linux

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

var _ host.TakesSudoers = (*Host)(nil)

// asideSuffix ends the name of a file that sudo does not read any more: it leaves out names with a dot.
const asideSuffix = ".moved-aside"

// TakeSudoers implements [host.TakesSudoers]: the file is given another name, which sudo leaves out, and gets its own
// back when sudo does not accept what remains.
func (h *Host) TakeSudoers(ctx context.Context, member principal.SID) (file string, err error) {
	err = h.change(ctx, func() error {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		h.read.changed(partPowers)
		of, there := administratorsOf(d.groups)
		members, _, err := h.administrators(ctx, d, of)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(members, func(m drift.Member) bool { return m.SID == member })
		if !there || i < 0 {
			return nil
		}
		file = filepath.Join("/etc", members[i].Via)
		if file == sudoersFile || !slices.Contains(sudoersFiles(sudoersFile), file) {
			return fmt.Errorf("%w: what makes %s an administrator stands in %s itself; take it out with visudo",
				errNotSafe, members[i].Name, shortPath(file))
		}
		if err := os.Rename(file, file+asideSuffix); err != nil {
			return err
		}
		if _, err := h.Tools.run(ctx, "", "visudo", "--check", "--quiet"); err != nil {
			if back := os.Rename(file+asideSuffix, file); back != nil {
				return back
			}
			return fmt.Errorf("sudo does not accept what remains without %s, so that it stays: %w", file, err)
		}
		return nil
	})
	return file, err
}

// strictHint is what a policy would have to say for the device to move a file of sudoers aside.
func strictHint(via string) string {
	if strings.HasPrefix(via, shortPath(sudoersFile)+".d") {
		return "take the line out there, or write sudoers: strict in the policy for " + unit.GroupAdministrators
	}
	return "take the line out there"
}
