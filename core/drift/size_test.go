package drift_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// A report of a device with 200 accounts, each with its own name, description, times and use, is below 20 KiB when it
// is compressed.
func TestAReportIsSmall(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	at := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	report := drift.Report{Format: drift.ReportFormat, Device: "SKL-WKS-001", At: at}
	for g := range 5 {
		report.LocalGroups = append(report.LocalGroups, drift.LocalGroup{LocalGroup: fmt.Sprint("group-", g),
			SID: principal.MustSID(fmt.Sprintf("S-1-5-21-70-80-90-%d", 5000+g))})
	}
	for i := range 200 {
		sid := principal.MustSID(fmt.Sprintf("S-1-5-21-70-80-90-%d", 1001+i))
		name := fmt.Sprintf("%x", random.Uint64())[:10]
		report.Accounts = append(report.Accounts, drift.Account{Name: name, SID: sid, Enabled: i%3 > 0,
			Details: unit.Details{
				FullName: fmt.Sprintf("Person %x", random.Uint32()), Description: "Harbour desk " + name,
			},
			PasswordSetAt: at.Add(-time.Duration(random.IntN(1e7)) * time.Second)})
		report.Uses = append(report.Uses, drift.Use{SID: sid, LastSignIn: new(at.AddDate(0, 0, -random.IntN(300)))})
		group := &report.LocalGroups[i%5]
		group.Members = append(group.Members, drift.Member{SID: sid, Name: name})
	}
	data, err := json.Marshal(report)
	require.NoError(t, err)
	var packed bytes.Buffer
	w := gzip.NewWriter(&packed)
	_, err = w.Write(data)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	t.Logf("%d bytes, %d compressed", len(data), packed.Len())
	assert.Less(t, packed.Len(), 20<<10)
}
