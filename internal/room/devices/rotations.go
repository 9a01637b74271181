package devices

import (
	"context"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// rotationsReported keeps what a report says of passwords, and puts into it when they were changed as
// the service knows it: the time of a deposit counts, not the device's word.
func rotationsReported(known []store.Rotation, j *judgement) {
	every := map[principal.Ref]int{}
	for target, rule := range unit.Rotations(j.settings) {
		every[target] = rule.EveryMinutes
	}
	j.taken.Rules, j.taken.RulesDiffer = every, !inForce(known, every)
	for _, reported := range j.taken.Next {
		for i := range known {
			if known[i].Target == reported.Target.String() {
				known[i].NextAt = reported.Next
			}
		}
	}
	for _, state := range []*drift.State{&j.in.report.State, &j.before} {
		store.PutRotations(state, known)
	}
}

// inForce says whether the rules in minutes by target are those that passwords have already.
func inForce(known []store.Rotation, every map[principal.Ref]int) bool {
	rules := make(map[string]int, len(every))
	for target, minutes := range every {
		rules[target.String()] = minutes
	}
	for _, r := range known {
		minutes, changes := rules[r.Target]
		if changes != (r.EveryMinutes != nil) || changes && minutes != *r.EveryMinutes {
			return false
		}
	}
	return true
}

// overdueBatch is how many overdue passwords are looked at in one go.
const overdueBatch = 500

// FindOverdue makes a finding of every password that passed its time, unless there is one.
func (s *Service) FindOverdue(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockRotations, func(ctx context.Context) error {
		for {
			overdue, err := s.Read(ctx).OverdueRotations(s.Clock(), s.Now().Add(-s.Interval), overdueBatch)
			if err != nil {
				return err
			}
			for _, r := range overdue {
				if err := s.overdue(ctx, r); err != nil {
					return err
				}
			}
			if len(overdue) < overdueBatch {
				return nil
			}
		}
	})
	return err
}

// scopeOf is the digest of a device's scope, empty before it was settled.
func scopeOf(d store.Device) string {
	if d.Scope == nil {
		return ""
	}
	return *d.Scope
}

func (s *Service) overdue(ctx context.Context, r store.Rotation) error {
	return s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
		d, err := tx.LockDevice(r.DeviceID)
		if err != nil {
			return err
		}
		target, err := principal.Parse(r.Target)
		if err != nil {
			return err
		}
		whose, err := s.Scopes.DecidedBy(tx, scopeOf(d))
		if err != nil {
			return err
		}
		id := unit.RotationOf(target)
		f := drift.Finding{
			Unit:     id,
			Kind:     drift.RotationOverdue,
			Expected: *r.EveryMinutes,
			Actual:   r.ChangedAt.UTC().Format(time.RFC3339),
		}
		open, err := tx.OpenFindings(d.ID)
		if err != nil || slices.ContainsFunc(open, func(o store.Finding) bool { return o.Key == f.Key() }) {
			return err
		}
		if err := tx.AddFindings([]store.Finding{newFinding(d.ID, f, whose[id], store.FindingOpen,
			s.Now())}); err != nil {
			return err
		}
		if err := tx.CountOpenFinding(d.ID); err != nil {
			return err
		}
		w.Tell(store.TopicReports, d.ID)
		return nil
	})
}
