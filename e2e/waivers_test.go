package e2e

import (
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

// A finding is waived for a reason until a day: the device leaves the thing alone, it is no drift, and it comes back
// when the day has come. Administrators need a second person where that is asked for.
func TestFindingsAreWaivedUntilADay(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.devices = together{s.clock}
	s.config.SecondPersonWaives = true
	s.restart()
	s.publish("base", mooringOnly+"\nlockout: {threshold: 5, duration: 15m, window: 15m}", 500, "everything")
	d := s.enrolled("SKL-HBR-002")
	weak := unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}
	require.NoError(t, d.SetLockout(ctx, weak))
	d.SetFaults(simulated.Faults{DenyLockout: true})
	s.cycle(d, "SKL-HBR-002")
	open := func(state string) []api.Finding {
		page, err := s.owner.Findings(ctx, client.FindingQuery{State: state}, client.Page{})
		require.NoError(t, err)
		return page.Items
	}
	require.Len(t, open("open"), 2) // it differs, and could not be changed
	ids := []int64{open("open")[0].ID, open("open")[1].ID}
	day := s.clock.now().Add(2 * time.Hour)

	_, err := s.owner.Waive(ctx, ids, day, " ")
	problem(t, err, http.StatusUnprocessableEntity, "say why")
	_, err = s.owner.Waive(ctx, ids, s.clock.now().AddDate(2, 0, 0), "for ever")
	problem(t, err, http.StatusUnprocessableEntity, "within a year")
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "nowhere"})
	require.NoError(t, err)
	_, err = s.as("nils", "deployer", "nowhere").Waive(ctx, ids, day, "it is not mine")
	problem(t, err, http.StatusNotFound, "do not exist any more") // and which device it is on is nobody's business
	made, err := s.owner.Waive(ctx, ids, day, "another program guards the lockout")
	require.NoError(t, err)
	require.Len(t, made, 1, "one thing, whatever is found of it")
	assert.Equal(t, []string{"active", "asta", ""}, []string{made[0].State, made[0].MadeBy, made[0].Subject})
	_, err = s.owner.Waive(ctx, ids, day, "again")
	problem(t, err, http.StatusConflict, "not open any more (waived)")
	assert.Empty(t, open("open"))
	assert.Len(t, open("waived"), 2)
	s.cycle(d, "SKL-HBR-002")
	assert.Equal(t, "in_step", standing(s, "SKL-HBR-002"))

	// The device leaves it alone, though it could act by now.
	d.SetFaults(simulated.Faults{})
	s.cycle(d, "SKL-HBR-002")
	assert.Equal(t, 50, stateOf(t, d).Lockout.Threshold)
	assert.Len(t, open("waived"), 1, "it is not tried, so it does not fail")
	why := unitWhy(s, "SKL-HBR-002", "lockout")
	require.Len(t, why.Findings, 1)
	assert.WithinDuration(t, day, *why.Findings[0].Waived, time.Second)
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	assert.Equal(t, "a waiver is about to end on SKL-HBR-002", o.Decisions[0].Title)

	// Its day comes: what is there still is drift again, and the device acts.
	s.clock.forward(3 * time.Hour)
	require.NoError(t, s.Devices.EndWaivers(ctx))
	s.settled()
	assert.Len(t, open("open"), 1)
	s.cycle(d, "SKL-HBR-002")
	assert.Equal(t, 5, stateOf(t, d).Lockout.Threshold)
	ended, err := s.owner.Waivers(ctx, client.WaiverQuery{State: "ended"}, client.Page{})
	require.NoError(t, err)
	assert.Equal(t, "service", ended.Items[0].EndedBy)

	// A member of administrators: the guard keeps the mechanic in, since mooring is locked; waiving that needs a second
	// person.
	for range 5 {
		require.Error(t, d.SignIn("mooring", "wrong"))
	}
	d.AddAccount("mechanic")
	require.NoError(t, d.Join("administrators", "mechanic"))
	s.cycle(d, "SKL-HBR-002")
	var member []int64
	for _, f := range open("open") {
		if f.Kind == "member_extra" {
			member = append(member, f.ID)
		}
	}
	require.Len(t, member, 1)
	made, err = s.owner.Waive(ctx, member, s.clock.now().AddDate(0, 0, 30), "until the new mechanic has an account")
	require.NoError(t, err)
	assert.Equal(t, "waiting", made[0].State)
	problem(t, s.owner.DecideWaiver(ctx, made[0].ID, true), http.StatusForbidden, "sign in again")
	require.NoError(t, s.owner.SignInAgain(ctx, ownerPassword))
	problem(t, s.owner.DecideWaiver(ctx, made[0].ID, true), http.StatusForbidden, "somebody else must agree")
	second := s.as("sigurd", "deployer")
	require.NoError(t, second.DecideWaiver(ctx, made[0].ID, true))
	problem(t, second.DecideWaiver(ctx, made[0].ID, true), http.StatusConflict, "does not wait for anybody")
	s.cycle(d, "SKL-HBR-002") // it is told
	require.NoError(t, d.Unlock(ctx, d.Find("mooring")))
	s.cycle(d, "SKL-HBR-002")
	assert.Len(t, membersOf(t, d, "administrators"), 3, "left alone, though it could be taken out by now")
	require.NoError(t, second.EndWaiver(ctx, made[0].ID))
	s.cycle(d, "SKL-HBR-002")
	assert.Len(t, membersOf(t, d, "administrators"), 2)
}
