package e2e

import (
	"encoding/csv"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
)

// A report tells what happened to a group in a period: no more, no less, and nothing out of reach.
func TestPostureOfAGroup(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001", "SKL-TKT-002"}})
	require.NoError(t, err)
	s.publish("base", mooringOnly+"\nlockout: {threshold: 5, duration: 15m, window: 15m}", 500, "everything")
	before := s.clock.now()
	one := s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-TKT-002")
	elsewhere := s.enrolled("SKL-HQ-001")
	for _, d := range []*device{one, elsewhere} {
		require.NoError(t, d.SetLockout(ctx, unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}))
		d.SetFaults(simulated.Faults{DenyLockout: true})
		require.NoError(t, d.Cycle(ctx))
	}
	found, err := s.owner.Findings(ctx, client.FindingQuery{Device: "SKL-TKT-001", State: "open"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, found.Items, 2)
	_, err = s.owner.Waive(ctx, []int64{found.Items[0].ID}, s.clock.now().Add(48*time.Hour), "until it is reinstalled")
	require.NoError(t, err)
	support := s.as("nightwatch", "support")
	for range 2 {
		_, err = support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "=ticket 4711"})
		require.NoError(t, err)
	}
	_, err = support.Reveal(ctx, "SKL-HQ-001", api.RevealSpec{Reason: "ticket 9"})
	require.NoError(t, err)
	require.NoError(t, s.Reporting.RecordStandings(ctx))
	s.change("sooner", s.publishing("base", mooringOnly+"\nlockout: {threshold: 4, duration: 15m, window: 15m}"))
	preview, err := s.owner.PreviewChange(ctx, "sooner")
	require.NoError(t, err)
	_, err = s.owner.ApplyChange(ctx, "sooner", preview.Digest)
	require.NoError(t, err)

	p, err := s.owner.Posture(ctx, client.PostureQuery{Group: "desks", Since: before})
	require.NoError(t, err)
	assert.Equal(t, 2, p.Standings.InStep+p.Standings.Drifted+p.Standings.Waiting)
	require.Len(t, p.Days, 1)
	day := p.Days[0].Standings
	assert.Equal(t, 2, day.InStep+day.Drifted+day.Waiting)
	require.Len(t, p.Verified, 1)
	assert.Equal(t, 2, p.Verified[0].Verified)
	assert.GreaterOrEqual(t, p.Verified[0].Most, p.Verified[0].Half)
	require.Len(t, p.Rules, 1)
	assert.Equal(t, api.RuleFindings{Unit: "lockout", UnitTitle: "lockout", Assignments: []string{"base"}, Opened: 2,
		Waived: 2, Devices: 1},
		p.Rules[0])
	require.Len(t, p.Reveals.Items, 1)
	assert.Equal(t, []any{"nightwatch", "=ticket 4711", 2, 1, 2},
		[]any{p.Reveals.Items[0].Operator, p.Reveals.Items[0].Reason, p.Reveals.Items[0].Times,
			p.Reveals.Items[0].Devices, p.Reveals.Total})
	require.Len(t, p.Waivers.Items, 1)
	assert.Equal(t, "until it is reinstalled", p.Waivers.Items[0].Reason)
	require.Len(t, p.Changes.Items, 1)
	assert.Equal(t, []string{"sooner", "done", "asta"},
		[]string{p.Changes.Items[0].Name, p.Changes.Items[0].State, p.Changes.Items[0].CreatedBy})
	assert.Zero(t, p.Overdue.Total)

	// Before anything happened there is nothing, and a password that passes its time is overdue.
	early, err := s.owner.Posture(ctx, client.PostureQuery{Since: before.Add(-48 * time.Hour),
		Until: before.Add(-24 * time.Hour)})
	require.NoError(t, err)
	assert.Empty(t, early.Rules)
	assert.Empty(t, early.Reveals.Items)
	then := s.clock.now()
	s.clock.forward(400 * 24 * time.Hour)
	_, err = s.owner.SignIn(ctx, "asta", ownerPassword)
	require.NoError(t, err)
	late, err := s.owner.Posture(ctx, client.PostureQuery{Group: "desks"})
	require.NoError(t, err)
	assert.Equal(t, 2, late.Overdue.Total)
	_, err = s.owner.Posture(ctx, client.PostureQuery{Since: s.clock.now().AddDate(-3, 0, 0)})
	problem(t, err, http.StatusUnprocessableEntity, "400 days at most")
	_, err = s.owner.Posture(ctx, client.PostureQuery{Since: s.clock.now().Add(time.Hour)})
	problem(t, err, http.StatusUnprocessableEntity, "ends before it begins")
	_, err = s.owner.Posture(ctx, client.PostureQuery{Group: "nowhere"})
	problem(t, err, http.StatusUnprocessableEntity, "nowhere")

	// As a table, in which no reason becomes a formula.
	table, err := s.owner.PostureCSV(ctx, client.PostureQuery{Group: "desks", Since: before, Until: then})
	require.NoError(t, err)
	defer table.Close()
	rows, err := csv.NewReader(table).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, "section", rows[0][0])
	told := map[string]string{}
	for _, r := range rows {
		told[r[0]+"/"+r[2]+"/"+r[4]+"/"+r[5]] = r[6]
	}
	assert.Equal(t, "2", told["password views//'=ticket 4711/times"])
	assert.Equal(t, "2", told["findings/lockout, decided by base//waived"])

	// Who reaches the head office only learns nothing of the desks.
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "head-office", Devices: []string{"SKL-HQ-001"}})
	require.NoError(t, err)
	viewer := s.as("runa", "viewer", "head-office")
	seen, err := viewer.Posture(ctx, client.PostureQuery{Since: before, Until: then})
	require.NoError(t, err)
	assert.Empty(t, seen.Days, "the history is that of the whole fleet")
	for _, r := range seen.Reveals.Items {
		assert.Equal(t, "ticket 9", r.Reason)
	}
	assert.Empty(t, seen.Waivers.Items)
	hidden, err := viewer.Posture(ctx, client.PostureQuery{Group: "desks", Since: before, Until: then})
	require.NoError(t, err)
	assert.Empty(t, hidden.Rules)
	assert.Empty(t, hidden.Reveals.Items)
}
