package windows

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// details reads what describes an account.
func (u User) details(now time.Time) unit.Details {
	d := unit.Details{
		FullName: u.FullName, Description: u.Comment, PasswordExpires: u.Flags&FlagKeepsPassword == 0,
		PasswordFixed: u.Flags&FlagFixed != 0,
	}
	if u.Expires != Forever && int64(u.Expires) > now.Unix() { // one that is over is a disabled account
		d.ExpiresOn = time.Unix(int64(u.Expires), 0).UTC().Format(time.DateOnly)
	}
	return d
}

// expires is the time of the system for a day on which an account expires.
func expires(day string) (uint32, error) {
	if day == "" {
		return Forever, nil
	}
	at, err := time.Parse(time.DateOnly, day)
	if err != nil || at.Unix() < 0 || at.Unix() >= int64(Forever) {
		return 0, fmt.Errorf("the day %q is none that this system knows", day)
	}
	return uint32(at.Unix()), nil
}

// DescribeAccount implements [host.Host].
func (h *Host) DescribeAccount(ctx context.Context, account principal.SID, details unit.Details) error {
	return h.on(ctx, account, func(u User) error {
		if details.FullName != u.FullName {
			if err := h.system.SetUserFullName(u.Name, details.FullName); err != nil {
				return fmt.Errorf("full name: %w", err)
			}
		}
		if details.Description != u.Comment {
			if err := h.system.SetUserComment(u.Name, details.Description); err != nil {
				return fmt.Errorf("description: %w", err)
			}
		}
		if details.ExpiresOn != u.details(h.now()).ExpiresOn {
			at, err := expires(details.ExpiresOn)
			if err == nil {
				err = h.system.SetUserExpires(u.Name, at)
			}
			if err != nil {
				return fmt.Errorf("expiry: %w", err)
			}
		}
		next := with(u.Flags, FlagKeepsPassword, !details.PasswordExpires)
		return h.flags(u, with(next, FlagFixed, details.PasswordFixed))
	})
}

// RequireChange implements [host.Host].
func (h *Host) RequireChange(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(u User) error {
		if u.Flags&FlagKeepsPassword != 0 { // such a password never has to be changed
			if err := h.flag(u, FlagKeepsPassword, false); err != nil {
				return err
			}
		}
		return h.system.ExpirePassword(u.Name)
	})
}
