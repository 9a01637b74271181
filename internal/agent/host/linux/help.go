//go:build linux

package linux

import (
	"bytes"
	"context"
	"errors"
	"os"
	"strings"

	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/kit/atomicfile"
)

var _ host.ShowsHelp = (*Host)(nil)

// helpFile has what pam_echo(8) says to somebody who is locked out.
const helpFile = "/etc/security/rankwarden-help"

// ShowHelp implements [host.ShowsHelp]: it is said to somebody who signs in to an account that is locked.
func (h *Host) ShowHelp(ctx context.Context, text string) error {
	return h.change(ctx, func() error {
		if text == "" {
			if err := os.Remove(helpFile); !errors.Is(err, os.ErrNotExist) {
				return err
			}
			return nil
		}
		said := []byte(strings.ReplaceAll(strings.TrimSpace(text), "%", "%%") + "\n") // a % begins something else there
		if bytes.Equal(readOr(helpFile), said) {
			return nil
		}
		return atomicfile.Write(helpFile, said, 0o644)
	})
}
