package store

import (
	"crypto/sha256"
	"encoding/json"
	"time"

	"rankwarden.example/core/drift"
)

// Report is one stored report of a device. What it says is stored once for each month, beside it.
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
	Body          string // JSON; number and time are those of the record
	Content       []byte `gorm:"-"` // see [ReportContent]
}

// ReportContent is the key of what a device said, SHA-256. It differs by device, so that no two wait for each other to
// store the same.
func ReportContent(device, body string) []byte {
	sum := sha256.Sum256([]byte(device + "\n" + body))
	return sum[:]
}

// ReportBody reads a report.
func (t DevicesReader) ReportBody(id int64) (drift.Report, Report, error) {
	var report drift.Report
	row, err := first[Report](t.db.Where("id = ?", id))
	if err != nil {
		return report, row, err
	}
	return report, row, json.Unmarshal([]byte(row.Body), &report)
}
