package windows

import (
	"context"
	"fmt"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// details reads what describes an account.
func (u User) details() unit.Details {
	return unit.Details{
		FullName: u.FullName, Description: u.Comment, PasswordExpires: u.Flags&FlagKeepsPassword == 0,
	}
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
		return h.flag(u, FlagKeepsPassword, !details.PasswordExpires)
	})
}
