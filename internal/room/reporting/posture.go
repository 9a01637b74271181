package reporting

import (
	"context"
	"slices"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// mostInReport is how many entries each list of a report has; it says how many there are.
const mostInReport = 500

// longestReport is the longest period of a report.
const longestReport = 400 * 24 * time.Hour

// Posture is how a group stood over a period.
type Posture struct {
	Group        string // empty for every device in reach
	Since, Until time.Time
	MadeAt       time.Time
	Devices      Counts // now, by standing
	// Days are the standings of the last hour of each day (UTC) of which they are known; none where only a part of the
	// devices is in reach.
	Days     []store.StandingHour
	Verified []store.VerifiedDay
	Rules    []store.RuleFindings
	Overdue  Listed[store.OverduePassword] // now
	Reveals  Listed[store.RevealSum]       // N counts views, not sums
	Waivers  Listed[store.Waiver]
	Warrants Listed[store.Warrant]
	Changes  Listed[store.ClosedChange] // of the whole organisation
}

// Listed are the first of N entries.
type Listed[T any] struct {
	Items []T
	N     int
}

// Posture reports on a group, or on every device in reach, over a period.
func (s *Service) Posture(
	ctx context.Context, who rights.Identity, group string, since, until time.Time,
) (p Posture, err error) {
	now := s.Now()
	if until.IsZero() || until.After(now) {
		until = now
	}
	switch {
	case !since.Before(until):
		return p, refusal.New(refusal.Invalid,
			"the period ends before it begins; give since before until, and since in the past").At("since").Asked()
	case until.Sub(since) > longestReport:
		return p, refusal.New(refusal.Invalid, "a report is on 400 days at most, as long as standings are kept").
			At("since").Asked()
	}
	if group == assign.Everything {
		group = ""
	}
	mine := who.Reach(rights.Look)
	p = Posture{Group: group, Since: since, Until: until, MadeAt: now}
	p.Devices = s.View.Count(s.Clock(), fleetview.Filter{Reach: mine, Group: group})
	scope := store.PostureScope{Reach: mine, Group: group, Since: since, Until: until}
	err = s.Snapshot(ctx, func(tx Reads) error {
		if err := devicegroups.Asked(tx, group); err != nil {
			return err
		}
		if mine.Everywhere() || slices.Contains(mine.Groups(), group) {
			hours, err := tx.StandingHours(group, since.UTC().Truncate(time.Hour))
			if err != nil {
				return err
			}
			p.Days = lastOfDays(hours, until)
		}
		return p.read(tx, scope, now.Add(-s.Interval))
	})
	return p, err
}

// read reads everything that is in the records.
func (p *Posture) read(tx Reads, scope store.PostureScope, overdueBefore time.Time) (err error) {
	for _, read := range []func() error{
		func() (err error) { p.Verified, err = tx.VerifiedDays(scope); return err },
		func() (err error) { p.Rules, err = tx.FindingsByRule(scope); return err },
		func() (err error) {
			p.Overdue.Items, p.Overdue.N, err = tx.OverduePasswords(scope, overdueBefore, mostInReport)
			return err
		},
		func() (err error) {
			p.Reveals.Items, p.Reveals.N, err = tx.RevealSums(scope, mostInReport)
			return err
		},
		func() (err error) {
			p.Waivers.Items, p.Waivers.N, err = tx.WaiversWithin(scope, mostInReport)
			return err
		},
		func() (err error) {
			p.Warrants.Items, p.Warrants.N, err = tx.WarrantsWithin(scope, mostInReport)
			return err
		},
		func() (err error) {
			p.Changes.Items, p.Changes.N, err = tx.ChangesWithin(scope.Since, scope.Until, mostInReport)
			return err
		},
	} {
		if err := read(); err != nil {
			return err
		}
	}
	return nil
}

// lastOfDays are the last hours of days before a time.
func lastOfDays(hours []store.StandingHour, until time.Time) []store.StandingHour {
	var days []store.StandingHour
	for _, h := range hours {
		if !h.Hour.Before(until) {
			break
		}
		day := h.Hour.UTC().Truncate(24 * time.Hour)
		if n := len(days); n > 0 && days[n-1].Hour.UTC().Truncate(24*time.Hour).Equal(day) {
			days[n-1] = h
			continue
		}
		days = append(days, h)
	}
	return days
}

// InStep is the share of devices that are in step, in percent, of those that are known to be on; 100 for none.
func InStep(c Counts) float64 {
	on := c.Total() - c[drift.Silent]
	if on == 0 {
		return 100
	}
	return 100 * float64(c[drift.InStep]) / float64(on)
}
