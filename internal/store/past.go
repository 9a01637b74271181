package store

import (
	"time"

	"rankwarden.example/core/drift"
)

// DesiredAt is the desired state that a device was to have at a time. The error is [ErrNotFound] where none of then is
// kept.
func (t DevicesReader) DesiredAt(device string, at time.Time) (DesiredState, error) {
	return first[DesiredState](
		t.db.Where("device_id = ? and created_at <= ?", device, at).Order("epoch desc, number desc").Limit(1),
	)
}

// ReportAt is the last report of a device that had come by a time. The error is [ErrNotFound] where none of then is
// kept.
func (t DevicesReader) ReportAt(device string, at time.Time) (Report, error) {
	return first[Report](
		t.db.Where("device_id = ? and received_at <= ?", device, at).Order("epoch desc, seq desc").Limit(1),
	)
}

// DepositTimesAt is [Tx.DepositTimes] as it was at a time, as far as the deposits of then are kept.
func (t DevicesReader) DepositTimesAt(device string, at time.Time, state *drift.State) error {
	known, err := rows[Rotation](
		t,
		`select distinct on (target) target, deposited_at as changed_at from deposits
		where device_id = $1 and deposited_at <= $2 order by target, deposited_at desc`,
		device,
		at,
	)
	PutRotations(state, known)
	return err
}
