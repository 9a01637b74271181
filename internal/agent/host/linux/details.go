//go:build linux

package linux

import (
	"context"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// details reads what describes an account.
func (p person) details(end int) unit.Details {
	fullName, description := readGECOS(p.gecos)
	d := unit.Details{FullName: fullName, Description: description, PasswordExpires: p.maxDays >= 0}
	if end > 0 {
		d.ExpiresOn = time.Unix(int64(end)*86400, 0).UTC().Format(time.DateOnly)
	}
	return d
}

// disabledEnd is the day on which disabled accounts expire: the first of all.
const disabledEnd = 1

// endOf is the day of shadow(5) on which an account is to expire, 0 for none: also while it is disabled, when it has a
// day that is long over. One that is over is a disabled account.
func (h *Host) endOf(p person) int {
	end := p.expires
	if end <= disabledEnd {
		end = h.kept.Ends[p.uid]
	}
	if end <= today(time.Now()) {
		return 0
	}
	return end
}

// expire gives an account the day on which it expires, 0 for none. A disabled one gets it when it is enabled.
func (h *Host) expire(ctx context.Context, p person, day string) error {
	end := 0
	if day != "" {
		at, err := time.Parse(time.DateOnly, day)
		if err != nil {
			return fmt.Errorf("%q is no day", day)
		}
		end = today(at)
	}
	if end == h.endOf(p) {
		return nil
	}
	if p.expires >= 0 && p.expires <= disabledEnd {
		return h.keepEnd(p, end)
	}
	_, err := h.Tools.run(ctx, "", "usermod", "--expiredate", day, p.name)
	return err
}

// keepEnd remembers the day on which a disabled account is to expire.
func (h *Host) keepEnd(p person, end int) error {
	if h.kept.Ends == nil {
		h.kept.Ends = map[int]int{}
	}
	if h.kept.Ends[p.uid] = end; end == 0 {
		delete(h.kept.Ends, p.uid)
	}
	return h.kept.write(h.keptPath())
}

// RequireChange implements [host.Host]: the password counts as set on the first day of all; see chage(1).
func (h *Host) RequireChange(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(_ database, p person) error { return h.age(ctx, p, "--lastday", 0) })
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
		if err := h.expire(ctx, p, details.ExpiresOn); err != nil {
			return fmt.Errorf("expiry: %w", err)
		}
		switch {
		case details.PasswordExpires == (p.maxDays >= 0):
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
