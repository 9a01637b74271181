//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// checkName says what keeps a name from being one of this platform.
func checkName(name string) error {
	if err := text.CheckName(name, text.MaxAccountName); err != nil {
		return fmt.Errorf("%w: the name %w", host.ErrName, err)
	}
	if why := unit.LinuxRefuses(name); why != "" {
		return fmt.Errorf("%w: the name %s", host.ErrName, why)
	}
	return nil
}

// refusesName is how the tools that make and rename accounts and groups end when the system takes no such name. Which
// it takes differs: shadow of Debian 13 refuses letters that are not of ASCII, that of Debian 12 takes them.
var refusesName = []int{3, 19}

// refusedName makes a refusal of a name one that says so.
func refusedName(err error) error {
	if failed, ok := errors.AsType[*ToolError](err); ok && slices.Contains(refusesName, failed.Status) {
		return fmt.Errorf("%w: this system takes no such name: %w", host.ErrName, err)
	}
	return err
}

// checkNameFree says whether an account may have a name. Names that differ in case alone are one name to a policy.
func (d database) checkNameFree(name string, but ...string) error {
	if err := checkName(name); err != nil {
		return err
	}
	taken := func(other string) bool { return text.Fold(other) == text.Fold(name) && !slices.Contains(but, other) }
	if slices.ContainsFunc(d.people, func(p person) bool { return taken(p.name) }) ||
		slices.ContainsFunc(d.groups, func(g group) bool { return taken(g.name) }) {
		return fmt.Errorf("%w: it is taken: %s", host.ErrName, name)
	}
	return nil
}

// CreateAccount implements [host.Host]. The new UID is one that this host never gave before.
func (h *Host) CreateAccount(ctx context.Context, name string) (sid principal.SID, err error) {
	err = h.change(ctx, func() error {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		if err := d.checkNameFree(name); err != nil {
			return err
		}
		uid := max(h.kept.Mark, d.number("UID_MIN", 1000)-1) + 1
		for _, p := range d.people {
			if d.regular(p) {
				uid = max(uid, p.uid+1)
			}
		}
		if most := d.number("UID_MAX", 60000); uid > most {
			return fmt.Errorf("no identifier is left up to UID_MAX of %s, which is %d", loginDefs, most)
		}
		h.kept.Mark = uid
		if err := h.kept.write(h.keptPath()); err != nil {
			return err
		}
		home := "/home/" + name
		if _, err := os.Lstat(home); !errors.Is(err, os.ErrNotExist) { // left by another account of that name
			home = fmt.Sprintf("%s-%d", home, uid)
		}
		shell := "/bin/sh"
		if _, err := os.Stat("/bin/bash"); err == nil {
			shell = "/bin/bash"
		}
		_, err = h.Tools.run(ctx, "", "useradd", "--uid", strconv.Itoa(uid), "--user-group", "--create-home",
			"--home-dir", home, "--shell", shell, "--expiredate", strconv.Itoa(disabledEnd), name)
		sid = personSID(uid)
		return refusedName(err)
	})
	return sid, err
}

// on does one change of an account.
func (h *Host) on(ctx context.Context, account principal.SID, do func(d database, p person) error) error {
	return h.change(ctx, func() error {
		d, err := readDatabase()
		if err != nil {
			return err
		}
		p, err := d.find(account)
		switch {
		case err != nil:
			return err
		case len(p.shares) > 0:
			return p.sharedError()
		}
		return do(d, p)
	})
}

// DeleteAccount implements [host.Host]. Its home directory stays. Somebody who is signed in keeps it from going; what
// the system keeps running for somebody who is not, does not.
func (h *Host) DeleteAccount(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(_ database, p person) error {
		if p.uid == 0 {
			return errors.New("root cannot be deleted")
		}
		if err := h.forgetWrong(ctx, p.name); err != nil {
			return err
		}
		if err := h.endKept(ctx, p, closing, lingering); err != nil {
			return err
		}
		_, err := h.Tools.run(ctx, "", "userdel", p.name)
		return err
	})
}

// EnableAccount implements [host.Host]. A disabled account has its password locked and its end behind it, so that keys
// do not open it either. Of root only the password is locked: the system's own work runs as root.
func (h *Host) EnableAccount(ctx context.Context, account principal.SID, enabled bool) error {
	return h.on(ctx, account, func(_ database, p person) error {
		var args []string
		switch {
		case enabled && p.locked():
			args = append(args, "--unlock")
		case !enabled && !p.locked():
			args = append(args, "--lock")
		}
		end := h.endOf(p)
		switch {
		case p.uid == 0:
		case enabled && p.expires >= 0 && (p.expires != end || p.expires <= disabledEnd):
			day := ""
			if end > 0 {
				day = p.details(end).ExpiresOn
			}
			args = append(args, "--expiredate", day)
		case !enabled && p.expires != disabledEnd:
			if err := h.keepEnd(p, end); err != nil {
				return err
			}
			args = append(args, "--expiredate", strconv.Itoa(disabledEnd))
		}
		if len(args) == 0 {
			return nil
		}
		if _, err := h.Tools.run(ctx, "", "usermod", append(args, p.name)...); err != nil || !enabled {
			return err
		}
		return h.keepEnd(p, 0)
	})
}

// age gives an account's password an age.
func (h *Host) age(ctx context.Context, p person, which string, days int) error {
	_, err := h.Tools.run(ctx, "", "chage", which, strconv.Itoa(days), p.name)
	return err
}
