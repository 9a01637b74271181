package reporting

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// WhyAt explains a device as it was at a time: what it was to have, what it had reported by then, and which assignments
// decided when that desired state was made. What was repeatedly reverted then, and what was on trial, is not known any
// more.
func (s *Service) WhyAt(ctx context.Context, who rights.Identity, idOrName string, at time.Time) (DeviceWhy, error) {
	clock := s.Clock()
	if at.After(clock.Now) {
		return DeviceWhy{}, refusal.New(refusal.Invalid, "%s has not come yet; give a time that is over",
			at.Format(time.RFC3339)).At("at")
	}
	clock.Now = at
	out := DeviceWhy{At: &at}
	err := s.Snapshot(ctx, func(tx Reads) error {
		now, err := reach.Visible(tx, s.Clock(), who, idOrName)
		if err != nil {
			return err
		}
		e := explanation{now: clock, past: true}
		if e.device, err = asOf(tx, now, at); err != nil {
			return err
		}
		if err := e.read(tx); err != nil {
			return err
		}
		_, e.device.Held = resolve.Compose(e.enforced, e.told.Settings)
		e.device.HeldUnits = len(e.device.Held)
		out.Reported, out.Directory, out.Problems = e.report, e.directory, e.enforced.Problems
		out.Assignments = e.met
		out.Units = e.units()
		for i := range out.Units {
			e.device.OpenFindings += len(out.Units[i].Findings)
			if e.device.Scope == nil {
				out.Units[i].DecidedBy = "not known any more"
			}
		}
		e.device.Standing = drift.Stand(e.device.StandingInput(), at, clock.Interval)
		out.Device = e.device
		return nil
	})
	return out, err
}

// asOf is the record of a device as it was at a time. It was heard from then, as far as anybody knows.
func asOf(tx Reads, now store.Device, at time.Time) (store.Device, error) {
	d := now
	d.Scope, d.ReportID, d.ReportedAt, d.VerifiedAt, d.RepeatedlyReverted = nil, nil, nil, nil, nil
	d.OpenFindings, d.Mismatched, d.LastContact = 0, false, &at
	d.ReportedEpoch, d.ReportedNumber = 0, 0
	desired, err := tx.DesiredAt(d.ID, at)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return d, refusal.New(refusal.NotFound, "what %s was to have at %s is not kept; it enrolled at %s", d.Name,
			at.Format(time.RFC3339), d.EnrolledAt.Format(time.RFC3339))
	case err != nil:
		return d, err
	}
	d.DesiredEpoch, d.DesiredNumber, d.DesiredAt = desired.Epoch, desired.Number, &desired.CreatedAt
	d.DesiredDigest, d.SettingsDigest = desired.Digest, desired.Settings
	if desired.Scope != "" {
		d.Scope = &desired.Scope
	}
	report, err := tx.ReportAt(d.ID, at)
	if errors.Is(err, store.ErrNotFound) {
		return d, nil
	}
	d.ReportID, d.ReportedAt = &report.ID, &report.ReceivedAt
	d.ReportedEpoch, d.ReportedNumber = report.DesiredEpoch, report.DesiredNumber
	return d, err
}

// metThen are the assignments that applied to a scope, as they were when it was settled.
func metThen(scope store.Scope) ([]Met, error) {
	met := []Met{}
	list, err := scope.Described()
	for _, a := range list {
		met = append(met, Met{
			store.Assignment{
				Name: a.Assignment, Policy: a.Policy, Revision: a.Revision, Rank: a.Rank, Stance: string(a.Stance),
			},
			assign.Included,
		})
	}
	return met, err
}
