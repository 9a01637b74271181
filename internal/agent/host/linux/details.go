//go:build linux

package linux

import (
	"context"
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// details reads what describes an account.
func (p person) details() unit.Details {
	fullName, description := readGECOS(p.gecos)
	return unit.Details{FullName: fullName, Description: description, PasswordExpires: p.maxDays >= 0}
}

// DescribeAccount implements [host.Host].
func (h *Host) DescribeAccount(ctx context.Context, account principal.SID, details unit.Details) error {
	return h.on(ctx, account, func(d database, p person) error {
		gecos, err := writeGECOS(p.gecos, details)
		if err != nil {
			return err
		}
		if gecos != p.gecos {
			if _, err := h.Tools.run(ctx, "", "usermod", "--comment", gecos, p.name); err != nil {
				return err
			}
		}
		switch {
		case details.PasswordExpires == p.details().PasswordExpires:
			return nil
		case details.PasswordExpires:
			return h.age(ctx, p, "--maxdays", max(d.number("PASS_MAX_DAYS", never), 1))
		}
		return h.age(ctx, p, "--maxdays", -1)
	})
}

// The comment of passwd(5) holds the full name, three fields that the host leaves as they are, and more, which holds
// the description; see chfn(1).
const gecosFields = 5

func readGECOS(gecos string) (fullName, description string) {
	fields := append(strings.SplitN(gecos, ",", gecosFields), make([]string, gecosFields)...)
	return fields[0], fields[4]
}

// writeGECOS gives a comment that has the full name and the description of details. A comment that has them already
// stays as it is, to the byte.
func writeGECOS(gecos string, details unit.Details) (string, error) {
	fullName, description := readGECOS(gecos)
	if details.FullName == fullName && details.Description == description {
		return gecos, nil
	}
	fields := append(strings.SplitN(gecos, ",", gecosFields), make([]string, gecosFields)...)[:gecosFields]
	for _, field := range []struct {
		at                    int
		what, text, forbidden string
	}{
		{0, "a full name", details.FullName, ":,\n"},
		{4, "a description", details.Description, ":\n"},
	} {
		if at := strings.IndexAny(field.text, field.forbidden); at >= 0 {
			return "", fmt.Errorf("this device cannot keep %q in %s; take it out of the policy",
				field.text[at:at+1], field.what)
		}
		fields[field.at] = field.text
	}
	return strings.TrimRight(strings.Join(fields, ","), ","), nil
}
