package store

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

// DesiredAt is the desired state that a device was to have at a time. The error is [ErrNotFound] where none of then is kept.
func (t Tx) DesiredAt(device string, at time.Time) (DesiredState, error) {
	return first[DesiredState](
		t.db.Where("device_id = ? and created_at <= ?", device, at).Order("epoch desc, number desc").Limit(1),
	)
}

// ReportAt is the last report of a device that had come by a time. The error is [ErrNotFound] where none of then is kept.
func (t Tx) ReportAt(device string, at time.Time) (Report, error) {
	return first[Report](
		t.db.Where("device_id = ? and received_at <= ?", device, at).Order("epoch desc, seq desc").Limit(1),
	)
}

// DepositTimesAt is [Tx.DepositTimes] as it was at a time, as far as the deposits of then are kept.
func (t Tx) DepositTimesAt(device string, at time.Time, state *drift.State) error {
	type deposit struct {
		Target      string
		DepositedAt time.Time
	}
	known, err := rows[deposit](
		t,
		`select distinct on (target) target, deposited_at from deposits where device_id = $1 and deposited_at <= $2
		order by target, deposited_at desc`,
		device,
		at,
	)
	reported := state.Rotation
	state.Rotation = nil
	for _, d := range known {
		target, err := principal.Parse(d.Target)
		if err != nil {
			continue
		}
		elsewhere := slices.ContainsFunc(
			reported,
			func(x drift.Rotation) bool { return x.Target == target && x.Elsewhere },
		)
		state.Rotation = append(
			state.Rotation,
			drift.Rotation{Target: target, RotatedAt: d.DepositedAt, Elsewhere: elsewhere},
		)
	}
	return err
}
