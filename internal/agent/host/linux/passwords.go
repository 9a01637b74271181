//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
)

// ErrWrong is given when a password does not open an account.
var ErrWrong = errors.New("the password is wrong")

// SetPassword implements [host.Host]. The password goes through standard input. Setting one takes the lock off; an
// account that was disabled is locked again, and its end, which lies behind it, keeps it closed in between.
func (h *Host) SetPassword(ctx context.Context, account principal.SID, password string) error {
	if strings.ContainsAny(password, "\n\r\x00") {
		return errors.New("a password of this platform cannot hold line breaks")
	}
	return h.on(ctx, account, func(_ database, p person) error {
		if _, err := h.Tools.run(ctx, p.name+":"+password+"\n", "chpasswd"); err != nil {
			return err
		}
		if !p.locked() {
			return nil
		}
		_, err := h.Tools.run(ctx, "", "usermod", "--lock", p.name)
		return err
	})
}

// CheckPassword implements [host.Host]: the checker of PAM's own module for passwords is asked, so that every way in
// which the system keeps passwords is known. It does not count wrong ones. A lock on the password is taken off
// meanwhile; the account's end keeps it closed, but for root, which has none: there the password in question opens it
// for that moment.
func (h *Host) CheckPassword(ctx context.Context, account principal.SID, password string) error {
	return h.on(ctx, account, func(_ database, p person) (err error) {
		if strings.Trim(p.hash, "!*") == "" {
			return ErrWrong // nothing opens it
		}
		if p.locked() {
			if _, err := h.Tools.run(ctx, "", "usermod", "--unlock", p.name); err != nil {
				return err
			}
			defer func() {
				_, lockErr := h.Tools.run(context.WithoutCancel(ctx), "", "usermod", "--lock", p.name)
				err = errors.Join(err, lockErr)
			}()
		}
		_, err = h.Tools.run(ctx, password+"\x00", "unix_chkpwd", p.name, "nonull")
		if refused := (*ToolError)(nil); errors.As(err, &refused) {
			if refused.Status == authError {
				return ErrWrong
			}
			return fmt.Errorf("checking the password: %w", err)
		}
		return err
	})
}

// authError is PAM_AUTH_ERR of pam(3).
const authError = 7
