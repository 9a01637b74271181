package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
)

// refused are the refused attempts of an action that are on the trail.
func (s *service) refused(action string) int64 {
	n, err := query[int64](
		s.t,
		s.config.Database,
		"select count(*) from audit_entries where outcome = 'refused' and action = '"+action+"'",
	)
	require.NoError(s.t, err)
	return n
}

func TestRevealNeedsRightReachReasonAndAFreshSignIn(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-HQ-001")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	support := s.as("nightwatch", "support", "desks")
	why := api.RevealSpec{Reason: "ticket 4711: printer driver"}

	_, err = s.owner.Reveal(ctx, "SKL-TKT-001", why)
	problem(t, err, 403, "with the role owner you may not do this")
	_, err = s.as("bjorn", "viewer").Reveal(ctx, "SKL-TKT-001", why)
	problem(t, err, 403, "viewer")
	_, err = support.Reveal(ctx, "SKL-HQ-001", why)
	problem(t, err, 404, `there is no device "SKL-HQ-001"`)
	_, err = support.SendOrder(ctx, api.NewOrder{Kind: "rotate", Devices: []string{"SKL-TKT-001", "SKL-HQ-001"}})
	problem(t, err, 404, `there is no device "SKL-HQ-001"`)
	both := s.person("dagny", api.Role{Role: "support", Groups: []string{"desks"}},
		api.Role{Role: "viewer", Groups: []string{}})
	_, err = both.Reveal(ctx, "SKL-HQ-001", why)
	problem(t, err, 403, "does not reach the device SKL-HQ-001")
	_, err = support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: " "})
	problem(t, err, 422, "say why")
	_, err = support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4711", Account: "guest"})
	problem(t, err, 404, "it has those of account:mooring")
	assert.EqualValues(t, 4, s.refused("password.revealed"))

	shown, err := support.Reveal(ctx, "skl-tkt-001", why)
	require.NoError(t, err)
	require.Len(t, shown.Candidates, 1)
	sid := principal.MustSID(shown.Password.SID)
	assert.True(t, d.Opens(sid, shown.Candidates[0].Password))
	require.NotNil(t, shown.RotatesAt)
	assert.WithinDuration(t, s.clock.now().Add(2*time.Hour), *shown.RotatesAt, time.Minute)
	seen, err := s.owner.Reveals(ctx, client.PastQuery{Device: "SKL-TKT-001"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, seen.Items, 1)
	assert.Equal(
		t,
		[]string{"nightwatch", "ticket 4711: printer driver"},
		[]string{seen.Items[0].Operator, seen.Items[0].Reason},
	)
	happened, err := s.owner.SettingHistory(ctx, "SKL-TKT-001", "lockout")
	require.NoError(t, err)
	require.NotEmpty(t, happened, "who was there is told with every setting of the device")
	assert.Equal(t, []string{"viewed", "nightwatch", "saw the password of mooring: ticket 4711: printer driver"},
		[]string{happened[0].What, happened[0].Operator, happened[0].Words})
	trail, err := query[string](
		t,
		s.config.Database,
		"select actor || ' ' || object || ' ' || reason || ' ' || (after->>'name') from audit_entries "+
			"where action = 'password.revealed' and outcome = 'done'",
	)
	require.NoError(t, err)
	assert.Equal(t, "nightwatch SKL-TKT-001 ticket 4711: printer driver "+shown.Password.Name, trail)

	// A second reveal joins the change that the first one brings about; it comes when it is time.
	_, err = support.Reveal(ctx, "SKL-TKT-001", why)
	require.NoError(t, err)
	assert.Len(t, s.became("SKL-TKT-001"), 1)
	s.until(func() bool {
		require.NoError(t, d.Cycle(ctx))
		return s.became("SKL-TKT-001")[0] == "rotate delivered"
	})
	assert.True(t, d.Opens(sid, shown.Candidates[0].Password), "not before its time")

	// A sign-in ages; giving the password again makes it fresh. An API token can be fresh as well.
	s.clock.forward(16 * time.Minute)
	_, err = support.Reveal(ctx, "SKL-TKT-001", why)
	problem(t, err, 403, "sign in again")
	problem(t, support.SignInAgain(ctx, "not the password"), 401, "wrong")
	require.NoError(t, support.SignInAgain(ctx, ownerPassword))
	_, err = support.Reveal(ctx, "SKL-TKT-001", why)
	require.NoError(t, err)
	token, err := support.CreateToken(ctx, "cli", "", 5)
	require.NoError(t, err)
	s.clock.forward(16 * time.Minute)
	program := client.New(s.URL, token.Secret).Look(hasLooked)
	_, err = program.Reveal(ctx, "SKL-TKT-001", why)
	problem(t, err, 403, "sign in again")
	require.NoError(t, program.SignInAgain(ctx, ownerPassword))
	_, err = program.Reveal(ctx, "SKL-TKT-001", why)
	require.NoError(t, err)

	s.clock.forward(2 * time.Hour)
	require.NoError(t, d.Cycle(ctx))
	assert.False(t, d.Opens(sid, shown.Candidates[0].Password))
	deposits := s.deposits("SKL-TKT-001")
	assert.Equal(t, "revealed", deposits[0].Reason)

	// The former one is there for a machine that comes back from an old image.
	require.NoError(t, program.SignInAgain(ctx, ownerPassword))
	former, err := program.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{
		Reason: "old image",
		Former: &api.DepositRef{Epoch: deposits[len(deposits)-1].Epoch, Number: deposits[len(deposits)-1].Number},
	})
	require.NoError(t, err)
	assert.Equal(t, shown.Candidates[0].Password, former.Candidates[0].Password)
}

// While a change is under way every password that may be right is shown, newest first.
func TestRevealDuringAChange(t *testing.T) {
	s := startTogether(t)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.order("rotate", "account:mooring", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(t.Context()))
		return len(s.deposits("SKL-TKT-001")) == 2
	})
	require.NoError(t, change(
		t,
		s.config.Database,
		`update deposits set state = case number when 1 then 'current' else 'pending' end, confirmed_at = case number
			when 1
				then confirmed_at end;
		update rotations set pending = 1`,
	)) // as between the fourth step and the sixth
	shown, err := s.as("nightwatch", "support").
		Reveal(t.Context(), "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4711"})
	require.NoError(t, err)
	require.Len(t, shown.Candidates, 2)
	assert.Equal(
		t,
		[]string{"pending", "current"},
		[]string{shown.Candidates[0].Deposit.State, shown.Candidates[1].Deposit.State},
	)
	assert.True(t, shown.Password.Changing)
}

// Beyond what somebody may see alone within an hour, a second person must approve, once for each.
func TestRevealsBeyondTheBudget(t *testing.T) {
	s := startBudget(t, 2)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	for _, name := range []string{"SKL-TKT-001", "SKL-TKT-002", "SKL-TKT-003", "SKL-TKT-004"} {
		s.enrolled(name)
	}
	first, second := s.as("nightwatch", "support"), s.as("daywatch", "support")
	why := api.RevealSpec{Reason: "ticket 4711"}
	for _, name := range []string{"SKL-TKT-001", "SKL-TKT-002", "SKL-TKT-001", "SKL-TKT-002", "SKL-TKT-002"} {
		_, err := first.Reveal(ctx, name, why)
		require.NoError(t, err, "the same again within its hour counts for nothing")
	}
	for range 2 { // asking again asks for nothing new
		_, err := first.Reveal(ctx, "SKL-TKT-003", why)
		problem(t, err, 403, "second person")
	}
	waiting, err := s.owner.Approvals(ctx, client.Page{})
	require.NoError(t, err)
	require.Len(t, waiting.Items, 1)
	id := waiting.Items[0].ID
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Equal(t, "reveal nightwatch asks to see a password", o.Decisions[0].Kind+" "+o.Decisions[0].Title)
	problem(t, first.DecideReveal(ctx, id, true), 403, "somebody else")
	problem(t, s.owner.DecideReveal(ctx, id, true), 403, "owner")
	require.NoError(t, second.DecideReveal(ctx, id, true))
	problem(t, second.DecideReveal(ctx, id, true), 409, "was decided")
	_, err = first.Reveal(ctx, "SKL-TKT-003", why)
	require.NoError(t, err)
	_, err = first.Reveal(ctx, "SKL-TKT-004", why)
	problem(t, err, 403, "second person")

	waiting, err = s.owner.Approvals(ctx, client.Page{})
	require.NoError(t, err)
	require.NoError(t, second.DecideReveal(ctx, waiting.Items[0].ID, false))
	s.clock.forward(61 * time.Minute)
	require.NoError(t, first.SignInAgain(ctx, ownerPassword))
	_, err = first.Reveal(ctx, "SKL-TKT-004", why)
	require.NoError(t, err, "an hour later the count begins again")
}

// Roles are what the table of rights says, and no device can talk itself into somebody's reach.
func TestRolesAndReach(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "old", Rule: `device.os_build < 20000`})
	require.NoError(t, err)
	_, err = s.owner.CreateOperator(ctx, "cara", ownerPassword, api.Role{Role: "support", Groups: []string{"old"}})
	problem(t, err, 422, "it could talk itself into the reach")
	_, err = s.owner.CreateOperator(
		ctx,
		"cara",
		ownerPassword,
		api.Role{Role: "support", Groups: []string{}},
		api.Role{Role: "support", Groups: []string{}},
	)
	problem(t, err, 422, "twice")
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)

	author, deployer, support := s.as("chartroom", "author"), s.as("bridge", "deployer"),
		s.as("nightwatch", "support", "desks")
	p, err := author.CreatePolicy(ctx, document("base", "lockout: {threshold: 5}"))
	require.NoError(t, err)
	_, err = author.PublishPolicy(ctx, "base", p.Version)
	problem(t, err, 403, "author")
	_, err = deployer.PublishPolicy(ctx, "base", p.Version)
	require.NoError(t, err)
	_, err = deployer.CreatePolicy(ctx, document("other", "lockout: {threshold: 5}"))
	problem(t, err, 403, "deployer")
	_, err = support.CreateAssignment(ctx, "base", api.Aim{Policy: "base", Include: []string{"everything"}, Rank: 5})
	problem(t, err, 403, "support on desks")
	me, err := support.Me(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"look", "reveal", "handle", "ask"}, me.Rights)

	g, err := s.owner.Group(ctx, "desks")
	require.NoError(t, err)
	problem(t, s.owner.DeleteGroup(ctx, "desks", g.Version), 409, "nightwatch have a role on the group")
	_, err = support.CreateToken(ctx, "too much", "deployer", 1)
	problem(t, err, 422, "more than your own")
	token, err := s.owner.CreateToken(ctx, "less", "deployer", 1)
	require.NoError(t, err)
	me, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"look", "ask", "deploy"}, me.Rights)
}

// Where nothing is in escrow, whoever looks for a password is told why, and the way out.
func TestWhyNothingIsInEscrow(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("crew", "accounts: [{key: crew, name: crew-1}]", 500, "everything")
	s.enrolled("SKL-TKT-001")
	_, err := s.as("liv", "support").Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4711: printer"})
	problem(t, err, 404, "No policy in force rotates a password on it")
}
