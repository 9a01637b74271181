package store

import (
	"encoding/json"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
)

// Report is one stored report of a device.
type Report struct {
	ID            int64
	DeviceID      string
	Epoch         int64
	Seq           int64
	DesiredEpoch  int64
	DesiredNumber int64
	At            time.Time
	ReceivedAt    time.Time
	Digest        string // of the signed request that brought it
	Body          string
}

// AddReport stores a report and gives its identifier.
func (t Tx) AddReport(r Report) (int64, error) {
	err := translate(t.db.Create(&r).Error)
	return r.ID, err
}

// ReportBySeq finds the report of a device with a sequence.
func (t Tx) ReportBySeq(device string, epoch, seq int64) (Report, error) {
	return first[Report](t.db.Where("device_id = ? and epoch = ? and seq = ?", device, epoch, seq))
}

// ReportBody reads a report.
func (t Tx) ReportBody(id int64) (drift.Report, Report, error) {
	var report drift.Report
	row, err := first[Report](t.db.Where("id = ?", id))
	if err != nil {
		return report, row, err
	}
	return report, row, json.Unmarshal([]byte(row.Body), &report)
}

// ReportChanges is what a report changes on the record of its device.
type ReportChanges struct {
	Device             string
	Epoch              int64
	Seq                int64
	Desired            drift.Stamp
	At                 time.Time
	ReportID           int64
	OpenFindings       int
	VerifiedAt         *time.Time
	RepeatedlyReverted []unit.ID
	Mismatched         bool
	Locked             []LockedAccount
}

// SetReported stores it.
func (t Tx) SetReported(r ReportChanges) error {
	return t.exec(
		`update devices set epoch = $2, seq = $3, reported_epoch = $4, reported_number = $5, reported_at = $6, report_id = $7,
		open_findings = $8, verified_at = coalesce($9, verified_at), repeatedly_reverted = $10::jsonb, mismatched = $11,
		locked = $12::jsonb,
		last_contact = greatest(last_contact, $6), changed_at = now() where id = $1`,
		r.Device,
		r.Epoch,
		r.Seq,
		r.Desired.Epoch,
		r.Desired.Number,
		r.At,
		r.ReportID,
		r.OpenFindings,
		r.VerifiedAt,
		toJSON(r.RepeatedlyReverted),
		r.Mismatched,
		toJSON(r.Locked),
	)
}
