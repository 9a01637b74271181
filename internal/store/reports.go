package store

import (
	"encoding/json"
	"time"

	"rankwarden.example/core/drift"
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

// ReportBody reads a report.
func (t Tx) ReportBody(id int64) (drift.Report, Report, error) {
	var report drift.Report
	row, err := first[Report](t.db.Where("id = ?", id))
	if err != nil {
		return report, row, err
	}
	return report, row, json.Unmarshal([]byte(row.Body), &report)
}
