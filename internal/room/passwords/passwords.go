package passwords

import (
	"context"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/store"
)

// PasswordFilter narrows a list of passwords. Empty fields do not.
type PasswordFilter struct {
	Search string // part of the device's name or serial, or of the account's name
	Group  string
	// Unrecovered narrows to those without a copy sealed to a recovery key.
	Unrecovered bool
	Retired     bool // of retired devices, and of no others
	Overdue     bool // the rule's time and one check-in interval have passed since the last change
}

// Passwords lists a page of the passwords that devices in reach change, by device and account.
func (s *Service) Passwords(
	ctx context.Context, who rights.Identity, f PasswordFilter, p store.Page,
) ([]store.Rotation, string, error) {
	if err := devicegroups.Asked(s.Read(ctx), f.Group); err != nil {
		return nil, "", err
	}
	if f.Retired {
		return s.Read(ctx).RetiredRotations(s.Clock(), who.Reach(rights.Look), f.Search, p)
	}
	name, id, target, err := p.AfterRotation()
	if err != nil {
		return nil, "", err
	}
	search, late := text.Fold(f.Search), s.Now().Add(-s.Interval)
	var keys []store.RotationKey
	var places [][]string
	s.View.Each(
		s.Clock(),
		fleetview.Filter{Reach: who.Reach(rights.Look), Group: f.Group},
		func(d *fleetview.Device, _ drift.Standing) bool {
			if d.NameKey < name || d.NameKey == name && d.ID < id {
				return true
			}
			named := search == "" || strings.Contains(d.NameKey, search) ||
				strings.Contains(text.Fold(d.Facts.Serial), search)
			for _, r := range d.Rotations {
				switch {
				case d.ID == id && r.Target <= target,
					!named && !strings.Contains(text.Fold(r.Name), search),
					f.Overdue && !isOverdue(r, late),
					f.Unrecovered && !r.Unrecovered:
					continue
				}
				keys = append(keys, store.RotationKey{Device: d.ID, Target: r.Target})
				places = append(places, []string{d.NameKey, d.ID, r.Target})
			}
			return len(keys) <= p.Fits()
		},
	)
	next := ""
	if len(keys) > p.Fits() {
		keys = keys[:p.Fits()]
		next = store.CursorOf(places[p.Fits()-1]...)
	}
	list, err := s.Read(ctx).RotationsByKey(s.Clock(), keys)
	return list, next, err
}

// PasswordsOf are those of one device, with their deposits, newest first; and why there is none, empty where there is
// one.
func (s *Service) PasswordsOf(
	ctx context.Context, who rights.Identity, device string,
) (list []store.Rotation, deposits map[string][]store.Deposit, why string, err error) {
	deposits = map[string][]store.Deposit{}
	any := false
	err = s.Snapshot(ctx, func(tx Reads) error {
		d, err := reach.Visible(tx, s.Clock(), who, device)
		if err != nil {
			return err
		}
		if list, err = tx.RotationsOf(s.Clock(), d.ID); err != nil {
			return err
		}
		for _, r := range list {
			if deposits[r.Target], err = tx.DepositsOf(d.ID, r.Target); err != nil {
				return err
			}
			any = any || len(deposits[r.Target]) > 0
		}
		if !any {
			why, err = s.whyNone(tx, d)
		}
		return err
	})
	return list, deposits, why, err
}

// Reveals lists a page of who saw passwords, latest first.
func (s *Service) Reveals(
	ctx context.Context, who rights.Identity, past reach.Past, p store.Page,
) ([]store.Reveal, string, error) {
	narrow, err := reach.Narrow(s.Read(ctx), s.View, s.Clock(), who, past)
	if err != nil {
		return nil, "", err
	}
	return s.Read(ctx).ListReveals(narrow, p)
}

// Approvals lists a page of reveals that wait for a second person.
func (s *Service) Approvals(ctx context.Context, who rights.Identity, p store.Page) ([]store.Approval, string, error) {
	return s.Read(ctx).ListApprovals(who.Reach(rights.Look), s.Now(), p)
}

func isOverdue(r store.ViewRotation, late time.Time) bool {
	return r.EveryMinutes != nil && r.ChangedAt != nil &&
		r.ChangedAt.Add(time.Duration(*r.EveryMinutes)*time.Minute).Before(late)
}
