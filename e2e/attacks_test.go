package e2e

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// A token is never more than what it was given, nor than its operator, and makes no other.
func TestTokensMakeNoTokens(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	for _, role := range []string{viewer, "owner", ""} {
		token, err := s.owner.CreateToken(ctx, "a program", role, 1)
		require.NoError(t, err)
		_, err = client.New(s.URL, token.Secret).Look(hasLooked).CreateToken(ctx, "more", "", 8000)
		problem(t, err, 403, "sign in with your password")
	}
	assert.EqualValues(t, 3, s.refused("token.made"))

	// One that was made by a viewer stays a viewer's when the operator becomes more; a changed role ends it.
	s.as("bjorn", viewer)
	session := s.session("bjorn")
	bjorn := client.New(s.URL, "").Look(hasLooked)
	_, err := bjorn.SignIn(ctx, "bjorn", ownerPassword)
	require.NoError(t, err)
	token, err := bjorn.CreateToken(ctx, "mine", "", 1)
	require.NoError(t, err)
	_, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	require.NoError(t, err)
	_, err = s.owner.EditOperator(
		ctx,
		"bjorn",
		client.OperatorChange{Roles: []api.Role{{Role: "owner", Groups: []string{}}}},
	)
	require.NoError(t, err)
	_, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "revoked")
	assert.Equal(t, 401, try(t, s.URL, described{"whoami", "GET", "/api/v1/session"}, session), "sessions end as well")
}

// A new password ends tokens; owners see and revoke everybody's; a second sign-in is on the trail.
func TestOwnersSeeAndEndTokens(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	support := s.as("nightwatch", "support")
	token, err := support.CreateToken(ctx, "cli", "", 5)
	require.NoError(t, err)
	all, err := s.owner.Tokens(ctx, true, client.Page{})
	require.NoError(t, err)
	require.Len(t, all.Items, 1)
	assert.Equal(t, "nightwatch", all.Items[0].Operator)
	own, err := s.owner.Tokens(ctx, false, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, own.Items)
	_, err = support.Tokens(ctx, true, client.Page{})
	problem(t, err, 403, "support")
	require.NoError(t, s.owner.RevokeToken(ctx, token.ID))
	_, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "revoked")

	token, err = support.CreateToken(ctx, "cli again", "", 5)
	require.NoError(t, err)
	require.NoError(t, support.SignInAgain(ctx, ownerPassword))
	done, err := query[int64](
		t,
		s.config.Database,
		"select count(*) from audit_entries where action = 'session.refreshed' and outcome = 'done' "+
			"and actor = 'nightwatch'",
	)
	require.NoError(t, err)
	assert.EqualValues(t, 1, done)
	password := "another lamp over the pier"
	_, err = s.owner.EditOperator(ctx, "nightwatch", client.OperatorChange{Password: &password})
	require.NoError(t, err)
	_, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "revoked")
}

// A deployer with reach over one group widens it in no way.
func TestReachCannotWidenItself(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 0)
	for name, devices := range map[string][]string{"desks": {"SKL-TKT-001", "SKL-TKT-002"}, "quiet": {"SKL-TKT-001"},
		"offices": {"SKL-HQ-001"}} {
		_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: name, Devices: devices})
		require.NoError(t, err)
	}
	for _, name := range []string{"SKL-TKT-001", "SKL-TKT-002", "SKL-HQ-001"} {
		s.enrolled(name)
	}
	deployer := s.as("bridge", "deployer", "desks")
	edit := func(group string, e client.GroupEdit) error {
		g, err := s.owner.Group(ctx, group)
		require.NoError(t, err)
		_, err = deployer.EditGroup(ctx, group, e, g.Version)
		return err
	}
	problem(
		t,
		edit("desks", client.GroupEdit{Add: []string{"SKL-HQ-001"}}),
		403,
		"only an owner can change who is in it",
	)
	problem(
		t,
		edit("quiet", client.GroupEdit{Add: []string{"SKL-HQ-001"}}),
		403,
		"on devices that your role does not reach",
	)
	problem(t, edit("quiet", client.GroupEdit{Add: []string{"SKL-NEW-001"}}), 403, "on devices that")
	problem(t, edit("offices", client.GroupEdit{Remove: []string{"SKL-HQ-001"}}), 403, "on devices that")
	require.NoError(t, edit("quiet", client.GroupEdit{Add: []string{"SKL-TKT-002"}}))
	_, err := deployer.CreateGroup(ctx, client.GroupSpec{Name: "all", Rule: "true"})
	require.NoError(t, err, "nothing is aimed at it")
	g, err := s.owner.Group(ctx, "offices")
	require.NoError(t, err)
	problem(t, deployer.DeleteGroup(ctx, "offices", g.Version), 403, "on devices that")

	aim := func(a api.Aim) error {
		a.Policy, a.Rank = "base", 500
		_, err := deployer.CreateAssignment(ctx, "base", a)
		return err
	}
	problem(t, aim(api.Aim{Include: []string{"everything"}}), 403, "on devices that")
	problem(t, aim(api.Aim{Include: []string{"all"}}), 403, "on devices that")
	problem(t, aim(api.Aim{Include: []string{"desks", "offices"}}), 403, "on devices that")
	require.NoError(t, aim(api.Aim{Include: []string{"everything"}, Within: []string{"desks"}}))
	a, err := deployer.Assignment(ctx, "base")
	require.NoError(t, err)
	_, err = deployer.EditAssignment(
		ctx,
		"base",
		api.Aim{Policy: "base", Include: []string{"offices"}, Rank: 500},
		a.Version,
	)
	problem(t, err, 403, "on devices that")
	_, err = s.owner.EditAssignment(
		ctx,
		"base",
		api.Aim{Policy: "base", Include: []string{"everything"}, Rank: 500},
		a.Version,
	)
	require.NoError(t, err)
	problem(t, deployer.DeleteAssignment(ctx, "base", a.Version+1), 403, "on devices that")
	p, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	p, err = s.owner.SavePolicy(ctx, "base", document("base", "lockout: {threshold: 6}"), p.Version)
	require.NoError(t, err)
	_, err = deployer.PublishPolicy(ctx, "base", p.Version)
	problem(t, err, 403, "on devices that")
	assert.EqualValues(t, 1, s.refused("policy.published"))
	now, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 1, now.Revision, "nothing of it was stored")
	_, err = s.owner.CreateOperator(ctx, "dagny", ownerPassword, api.Role{Role: "owner", Groups: []string{"desks"}})
	problem(t, err, 422, "always holds everywhere")
}

// No device talks itself into a group that decides reach or exclusion by the name it enrols under.
func TestANameGivesNoReach(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	for _, name := range []string{"desks", "spared", "plain"} {
		_, err := s.owner.CreateGroup(ctx, client.GroupSpec{
			Name:    name,
			Devices: []string{"SKL-" + strings.ToUpper(name) + "-001", "SKL-" + strings.ToUpper(name) + "-002"},
		})
		require.NoError(t, err)
	}
	s.publish("base", "lockout: {threshold: 5}", 0)
	_, err := s.owner.CreateAssignment(
		ctx,
		"base",
		api.Aim{Policy: "base", Include: []string{"everything"}, Exclude: []string{"spared"}, Rank: 500},
	)
	require.NoError(t, err)
	support := s.as("nightwatch", "support", "desks")
	state := func(name string) string {
		d, err := s.owner.Device(ctx, name)
		require.NoError(t, err)
		return d.State
	}
	enrol := func(name string, groups ...string) *device {
		token, err := s.owner.CreateEnrolmentToken(ctx, client.EnrolmentSpec{Uses: 1, Hours: 1, Groups: groups})
		require.NoError(t, err)
		d := s.device(name, token.Token)
		require.NoError(t, d.Cycle(ctx))
		return d
	}
	enrol("SKL-PLAIN-001")
	enrol("SKL-DESKS-001", "desks")
	waits := enrol("SKL-DESKS-002")
	enrol("SKL-SPARED-001")
	assert.Equal(
		t,
		[]string{"live", "live", "claiming", "claiming"},
		[]string{state("SKL-PLAIN-001"), state("SKL-DESKS-001"), state("SKL-DESKS-002"), state("SKL-SPARED-001")},
	)
	list, err := support.Devices(ctx, client.DeviceQuery{}, client.Page{})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	var waiting []string
	for _, d := range o.Decisions {
		waiting = append(waiting, d.Kind+" "+d.Device+" "+d.Detail)
	}
	assert.Contains(
		t,
		strings.Join(waiting, "\n"),
		"claim SKL-DESKS-002 enrolled under a name that the group desks expects",
	)
	require.NoError(t, s.owner.Decide(ctx, "SKL-DESKS-002", "accept"))
	require.NoError(t, waits.Cycle(ctx))
	s.cycle(waits, "SKL-DESKS-002")
	assert.Equal(t, "live", state("SKL-DESKS-002"))
}

// Reach over everything is reach everywhere; a budget of none is none.
func TestEdgesOfReachAndBudget(t *testing.T) {
	s := startBudget(t, 0)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	s.enrolled("SKL-TKT-001")
	support := s.as("nightwatch", "support", "everything")
	list, err := support.Devices(ctx, client.DeviceQuery{}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
	_, err = support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4711"})
	problem(t, err, 403, "second person")
}

// Behind a proxy that does TLS, a session's cookie is for TLS only; nobody else's headers are believed.
func TestCookieBehindAProxy(t *testing.T) {
	cookie := func(s *service, header http.Header) string {
		req, err := http.NewRequestWithContext(
			t.Context(),
			http.MethodPost,
			s.URL+"/api/v1/session",
			strings.NewReader(fmt.Sprintf(`{"name": "asta", "password": %q}`, ownerPassword)),
		)
		require.NoError(t, err)
		req.Header = header
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		require.Equal(t, 200, resp.StatusCode)
		return resp.Header.Get("Set-Cookie")
	}
	s := start(t)
	assert.NotContains(
		t,
		cookie(s, http.Header{"X-Forwarded-Proto": {"https"}}),
		"secure",
		"not of a proxy that is not trusted",
	)
	s.stop()
	s.config.Proxies = []string{"127.0.0.1"}
	s.run()
	assert.Contains(t, strings.ToLower(cookie(s, http.Header{"X-Forwarded-Proto": {"https"}})), "secure")
	s.stop()
	s.config.Proxies, s.config.PublicURL = nil, "https://warden.skerryline.example"
	s.run()
	assert.Contains(t, strings.ToLower(cookie(s, http.Header{})), "secure")
}

// atOnce does something many times at once, and gives how often it succeeded.
func atOnce(n int, do func(i int) error) int {
	var done atomic.Int64
	var all sync.WaitGroup
	begin := make(chan struct{})
	for i := range n {
		all.Go(func() {
			<-begin
			if do(i) == nil {
				done.Add(1)
			}
		})
	}
	close(begin)
	all.Wait()
	return int(done.Load())
}

// However many reveals come at once, no more passwords are seen than one after the other; an approval serves one.
func TestManyRevealsAtOnce(t *testing.T) {
	s := startBudget(t, 3)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	const devices = 8
	for i := range devices {
		s.enrolled(fmt.Sprintf("SKL-TKT-%03d", i))
	}
	first, second := s.as("nightwatch", "support"), s.as("daywatch", "support")
	reveal := func(i int) error {
		name := fmt.Sprintf("SKL-TKT-%03d", i%devices)
		_, err := first.Reveal(ctx, name, api.RevealSpec{Reason: "ticket 4711"})
		return err
	}
	seen := func() (n int64) {
		n, err := query[int64](t, s.config.Database, "select count(distinct device_id) from reveals")
		require.NoError(t, err)
		return n
	}
	atOnce(5*devices, reveal)
	assert.EqualValues(t, 3, seen(), "however often each of them is shown again")
	waiting, err := s.owner.Approvals(ctx, client.Page{})
	require.NoError(t, err)
	require.Len(t, waiting.Items, devices-3, "each asked for once")
	require.NoError(t, second.DecideReveal(ctx, waiting.Items[0].ID, true))
	atOnce(5*devices, reveal)
	assert.EqualValues(t, 4, seen())
}
