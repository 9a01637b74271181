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

// SetPassword implements [host.Host]. The password goes through standard input. Setting one takes the lock off, so that
// of an account that is disabled is set as a hash with the lock on it: it is at no moment open.
func (h *Host) SetPassword(ctx context.Context, account principal.SID, password string) error {
	if strings.ContainsAny(password, "\n\r\x00") {
		return errors.New("a password of this platform cannot hold line breaks")
	}
	return h.on(ctx, account, func(db database, p person) error {
		if !p.locked() {
			_, err := h.Tools.run(ctx, p.name+":"+password+"\n", "chpasswd")
			return err
		}
		hash, err := db.hashed(password)
		if err != nil {
			return fmt.Errorf("setting the password: %w", err)
		}
		_, err = h.Tools.run(ctx, p.name+":!"+hash+"\n", "chpasswd", "--encrypted")
		return err
	})
}

// CheckPassword implements [host.Host]: the checker of PAM's own module for passwords is asked, so that every way in
// which the system keeps passwords is known. It does not count wrong ones. It knows nothing of an account that is
// locked, whose lock stays: there the hash itself is compared.
func (h *Host) CheckPassword(ctx context.Context, account principal.SID, password string) error {
	return h.on(ctx, account, func(_ database, p person) error {
		hash := strings.TrimLeft(p.hash, "!*")
		if hash == "" {
			return ErrWrong // nothing opens it
		}
		if p.locked() {
			is, err := opens(hash, password)
			if err == nil && !is {
				err = ErrWrong
			}
			return err
		}
		_, err := h.Tools.run(ctx, password+"\x00", "unix_chkpwd", p.name, "nonull")
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
