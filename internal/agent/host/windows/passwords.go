package windows

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/principal"
)

// ErrWrong is given when a password does not open an account.
var ErrWrong = errors.New("the password is wrong")

// SetPassword implements [host.Host].
func (h *Host) SetPassword(ctx context.Context, account principal.SID, password string) error {
	return h.on(ctx, account, func(u User) error {
		if err := h.system.SetUserPassword(u.Name, password); err != nil {
			return err
		}
		h.kept.Passwords[account] = passwordSet{Turn: h.kept.Passwords[account].Turn + 1}
		return h.kept.write(h.path)
	})
}

// refusesRight are what LogonUser says of a right password that may not be used now or in this way.
var refusesRight = []Code{
	LogonTypeNotGranted, PasswordExpired, PasswordMustChange, AccountExpired, InvalidLogonHours, InvalidWorkstation,
}

// CheckPassword implements [host.Host]. The system counts a wrong one. It answers nothing about a locked account.
func (h *Host) CheckPassword(ctx context.Context, account principal.SID, password string) error {
	return h.on(ctx, account, func(u User) error {
		err := h.system.Logon(u.Name, password)
		switch code := Code(0); {
		case err == nil:
			return nil
		case errors.Is(err, LogonFailure):
			return ErrWrong
		case !errors.As(err, &code):
			return err
		case slices.Contains(refusesRight, code):
			return nil
		case code == AccountDisabled:
			return h.checkDisabled()
		}
		return fmt.Errorf("checking the password: %w", err)
	})
}

// errMute is given where nobody can know whether a password is that of a disabled account.
var errMute = errors.New("this machine does not tell whether a password is that of a disabled account")

// checkDisabled says what the answer "disabled" means on this machine. Windows gives it for the right password alone;
// that is tried once, with an account made for it, before anything is built on it.
func (h *Host) checkDisabled() error {
	if h.tellsDisabled == nil {
		tells, err := h.tryDisabled()
		if err != nil {
			return fmt.Errorf("trying how disabled accounts answer: %w", err)
		}
		h.tellsDisabled = &tells
	}
	if !*h.tellsDisabled {
		return errMute
	}
	return nil
}

// trialName is that of the account for the trial, which is there for a moment.
const trialName = "rw-trial"

func (h *Host) tryDisabled() (tells bool, err error) {
	right := drawn()
	if err := h.system.DeleteUser(trialName); err != nil && !errors.Is(err, UserNotFound) {
		return false, err // one that is left from a trial that was cut
	}
	if err := h.system.AddUser(trialName, right, newUser); err != nil {
		return false, err
	}
	defer func() { err = errors.Join(err, h.system.DeleteUser(trialName)) }()
	wrong := h.system.Logon(trialName, drawn())
	return errors.Is(wrong, LogonFailure) && errors.Is(h.system.Logon(trialName, right), AccountDisabled), nil
}
