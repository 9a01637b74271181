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

// asks is a warrant for administrators for two hours.
func asks(who string, devices ...string) api.WarrantSpec {
	return api.WarrantSpec{Principal: who, Devices: devices, Minutes: 120, Reason: "ticket 4711"}
}

// isAdministrator reports whether a local account is one.
func isAdministrator(t *testing.T, d *device, name string) bool {
	state, err := d.Read(t.Context())
	require.NoError(t, err)
	group, there := state.Group("administrators")
	require.True(t, there)
	return group.Has(d.Find(name))
}

// differing are the settings of which something differs on a device.
func differing(s *service, device string) (units []string) {
	for _, u := range s.why(device).Units {
		if len(u.Findings) > 0 {
			units = append(units, u.Unit)
		}
	}
	return units
}

// Somebody is an administrator for two hours, in an exact list that does not name them, and not a minute longer, with
// the service gone and the device started anew.
func TestAWarrantForTwoHours(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	d.AddAccount("clerk")
	s.cycle(d, "SKL-WKS-001")
	require.False(t, isAdministrator(t, d, "clerk"))

	w, err := s.owner.AskWarrant(ctx, asks("local:Clerk", "SKL-WKS-001"))
	require.NoError(t, err)
	assert.Equal(t, []string{"agreed", "local:clerk", "asta", ""},
		[]string{w.State, w.Principal, w.AskedBy, w.DecidedBy})
	assert.True(t, w.Runs)
	assert.Equal(t, 2*time.Hour, w.Until.Sub(*w.From))
	s.until(func() bool { return d.Cycle(ctx) == nil && isAdministrator(t, d, "clerk") })
	s.until(func() bool { return standing(s, "SKL-WKS-001") == "in_step" })
	assert.Empty(t, differing(s, "SKL-WKS-001"), "whoever is in by warrant is no extra member")
	admins := unitWhy(s, "SKL-WKS-001", "membership.administrators")
	require.Len(t, admins.Warrants, 1)
	assert.Contains(t, admins.Warrants[0].Words, "clerk is a member by warrant until")
	assert.Contains(t, s.rankwarden("explain", "SKL-WKS-001", "administrators"), "by warrant until")
	assert.Contains(t, s.rankwarden("warrant", "list"), "runs")
	assert.Contains(t, s.rankwarden("ladder", "--device", "SKL-WKS-001"), "clerk is a member by warrant until")
	require.Len(t, s.events(client.EventQuery{Kind: "warrant_joined"}), 1)
	happened, err := s.owner.SettingHistory(ctx, "SKL-WKS-001", "administrators")
	require.NoError(t, err)
	told := []string{}
	for _, h := range happened {
		if h.What == "warrant" {
			told = append(told, h.Operator+": "+h.Words)
		}
	}
	assert.Equal(t, []string{"asta: clerk is a member for 2 hours: ticket 4711"}, told)

	// The service is gone, the device is started anew, and its clock goes on.
	s.stop()
	s.clock.forward(time.Hour)
	require.Error(t, d.Cycle(ctx))
	assert.True(t, isAdministrator(t, d, "clerk"))
	s.clock.forward(time.Hour + time.Second)
	require.Error(t, d.Cycle(ctx))
	assert.False(t, isAdministrator(t, d, "clerk"))
	s.run()
	s.until(func() bool { return d.Cycle(ctx) == nil && standing(s, "SKL-WKS-001") == "in_step" })
	s.until(func() bool {
		over, err := s.owner.Warrant(ctx, w.ID)
		return err == nil && over.State == "ended" && over.EndedBy != ""
	})
	require.Len(t, s.events(client.EventQuery{Kind: "warrant_left"}), 1)
	assert.Empty(t, s.events(client.EventQuery{Kind: "member_removed"}))
	assert.Contains(t, s.rankwarden("warrant", "list"), "No warrant waits or runs")
	assert.Contains(t, s.rankwarden("warrant", "list", "--all"), "over")
	p, err := s.owner.Posture(ctx, client.PostureQuery{Since: s.clock.now().Add(-24 * time.Hour)})
	require.NoError(t, err)
	require.Len(t, p.Warrants.Items, 1)
	assert.Equal(t, []string{w.ID, "asta", ""}, []string{p.Warrants.Items[0].ID, p.Warrants.Items[0].AskedBy,
		p.Warrants.Items[0].AgreedBy})
	earlier, err := s.owner.Posture(ctx, client.PostureQuery{Since: s.clock.now().Add(-24 * time.Hour),
		Until: w.From.Add(-time.Minute)})
	require.NoError(t, err)
	assert.Empty(t, earlier.Warrants.Items)
}

// Who may ask, who may agree, and who may take it back.
func TestWhoGivesWarrants(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.config.Approvals.AddedAdministrators = true
	s.restart()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	d := s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-WKS-001")
	d.AddAccount("clerk")
	support, deployer := s.as("nightwatch", "support"), s.as("pilot", "deployer")
	desk, elsewhere := s.as("desk.lead", "deployer", "desks"), s.as("nils", "support", "desks")

	_, err = s.as("reader", "viewer").AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	problem(t, err, 403, "you may not do this")
	_, err = elsewhere.AskWarrant(ctx, asks("local:clerk", "SKL-WKS-001"))
	problem(t, err, 404, "there is no device")
	silent, long, past := asks("local:clerk", "SKL-TKT-001"), asks("local:clerk", "SKL-TKT-001"),
		asks("local:clerk", "SKL-TKT-001")
	silent.Reason, long.Minutes, past.From = " ", 481, new(s.clock.now().Add(-time.Hour))
	for says, spec := range map[string]api.WarrantSpec{
		"cannot have a warrant":                 asks("account:mooring", "SKL-TKT-001"),
		"the directory does not know":           asks("user:nobody@skerryline.example", "SKL-TKT-001"),
		"say why":                               silent,
		"a warrant holds for 15 min to 8 hours": long,
		"begins now, or within":                 past,
	} {
		_, err := s.owner.AskWarrant(ctx, spec)
		problem(t, err, 422, says)
	}

	// A deployer alone gives nobody administrators where a second person is asked for, and support never does.
	mine, err := deployer.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	require.NoError(t, err)
	assert.Equal(t, "waiting", mine.State)
	assert.Contains(t, strings.Join(mine.Needs, " "), "it adds to administrators")
	assert.Nil(t, mine.Until, "it begins when it is agreed")
	problem(t, deployer.DecideWarrant(ctx, mine.ID, true, ""), 403, "somebody else must agree")
	problem(t, support.DecideWarrant(ctx, mine.ID, true, ""), 403, "you may not do this")
	token, err := s.owner.CreateToken(ctx, "program", "", 1)
	require.NoError(t, err)
	program := client.New(s.URL, token.Secret)
	problem(t, program.DecideWarrant(ctx, mine.ID, true, ""), 403, "an API token may not do this")
	require.NoError(t, d.Cycle(ctx))
	assert.False(t, isAdministrator(t, d, "clerk"))
	require.NoError(t, s.owner.DecideWarrant(ctx, mine.ID, true, "seen"))
	problem(t, s.owner.DecideWarrant(ctx, mine.ID, true, ""), 409, "does not wait for anybody")
	s.until(func() bool { return d.Cycle(ctx) == nil && isAdministrator(t, d, "clerk") })
	given, err := s.owner.Warrant(ctx, mine.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"agreed", "asta"}, []string{given.State, given.DecidedBy})

	// Whoever asked takes it back; others who neither asked, agreed nor may deploy do not.
	problem(t, elsewhere.TakeBackWarrant(ctx, mine.ID, ""), 403, "")
	require.NoError(t, deployer.TakeBackWarrant(ctx, mine.ID, "done earlier"))
	s.until(func() bool { return d.Cycle(ctx) == nil && !isAdministrator(t, d, "clerk") })
	problem(t, deployer.TakeBackWarrant(ctx, mine.ID, ""), 409, "has ended already")

	// Who reaches only some of the devices agrees to nothing.
	both, err := support.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001", "SKL-WKS-001"))
	require.NoError(t, err)
	problem(t, desk.DecideWarrant(ctx, both.ID, true, ""), 403, "your role does not reach")
	seen, err := desk.Warrant(ctx, both.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"SKL-TKT-001"}, seen.Devices, "and is told of no other")
	require.NoError(t, s.owner.DecideWarrant(ctx, both.ID, false, "use the password"))
	shown, err := support.Warrant(ctx, both.ID)
	require.NoError(t, err)
	assert.Equal(t, "refused", shown.State)

	// What nobody agrees to within a week is over.
	left, err := support.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	require.NoError(t, err)
	s.later(8 * 24 * time.Hour)
	s.until(func() bool {
		over, err := s.owner.Warrant(ctx, left.ID)
		return err == nil && over.State == "ended"
	})
	told, err := s.owner.Trail(ctx, client.TrailQuery{Action: "administrators.altered"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, told.Items, 2, "nobody becomes an administrator unannounced: given, and taken back")
}

// A warrant does not override what a policy asks, unless it says so and somebody else agrees; a device has no more than
// twenty; and from the third on it says so.
func TestWarrantsAndPolicies(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", "membership: [{local_group: administrators, mode: adjust, remove: [\"local:clerk\"]}]", 500,
		"everything")
	d := s.enrolled("SKL-TKT-001")
	d.AddAccount("clerk")
	s.cycle(d, "SKL-TKT-001")
	w, err := s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	require.NoError(t, err)
	s.until(func() bool {
		return d.Cycle(ctx) == nil && len(unitWhy(s, "SKL-TKT-001", "membership.administrators").Warrants) == 1
	})
	s.cycle(d, "SKL-TKT-001")
	assert.False(t, isAdministrator(t, d, "clerk"))
	assert.Equal(t, "overruled", unitWhy(s, "SKL-TKT-001", "membership.administrators").Warrants[0].Effect)
	spec := asks("local:clerk", "SKL-TKT-001")
	spec.Despite = true
	despite, err := s.owner.AskWarrant(ctx, spec)
	require.NoError(t, err)
	assert.Equal(t, "waiting", despite.State)
	require.NoError(t, s.as("pilot", "deployer").DecideWarrant(ctx, despite.ID, true, ""))
	s.until(func() bool { return d.Cycle(ctx) == nil && isAdministrator(t, d, "clerk") })

	third, err := s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	require.NoError(t, err)
	assert.Equal(t, 3, third.Like)
	assert.Contains(t, s.rankwarden("warrant", "show", third.ID), "Write a policy?")
	for range 17 {
		_, err := s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
		require.NoError(t, err)
	}
	_, err = s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	problem(t, err, 409, "take one of them back first")
	require.NoError(t, s.owner.TakeBackWarrant(ctx, w.ID, ""))
	out, err := s.tried("warrant", "ask", "local:clerk", "--device", "SKL-TKT-001", "--for", "45m", "--despite",
		"--reason", "ticket 4712")
	require.Error(t, err)
	assert.Contains(t, out, "waits for somebody to agree")
}

// A group of the directory has a warrant with the people in it, and those that were in it then are kept.
func TestAWarrantOfAGroup(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	_, err := s.owner.ImportDirectory(ctx, []byte(demoDirectory(t)), false, false)
	require.NoError(t, err)
	s.publish("base", mooring, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	m, sid := d.Machine(), principal.MustSID("S-1-5-21-70-80-90-1201")
	m.Directory = []principal.SID{sid}
	reboot(s, d, m)
	spec := asks("group:Fleet Suport@skerryline.example", "SKL-TKT-001")
	_, err = s.owner.AskWarrant(ctx, spec)
	problem(t, err, 422, "did you mean group:fleet support@skerryline.example?")
	spec.Principal, spec.EndSessions = "sid:S-1-5-21-70-80-90-1201", true
	_, err = s.owner.AskWarrant(ctx, spec)
	problem(t, err, 422, "sessions of a whole group")
	spec.EndSessions = false
	w, err := s.owner.AskWarrant(ctx, spec)
	require.NoError(t, err)
	assert.Equal(t, "group:fleet support@skerryline.example", w.Principal)
	assert.Contains(t, w.People, "user:asta.holm@skerryline.example")
	s.until(func() bool {
		if d.Cycle(ctx) != nil {
			return false
		}
		state, err := d.Read(ctx)
		require.NoError(t, err)
		admins, _ := state.Group("administrators")
		return admins.Has(sid)
	})
	s.cycle(d, "SKL-TKT-001")
	assert.Empty(t, differing(s, "SKL-TKT-001"))
	admins := unitWhy(s, "SKL-TKT-001", "membership.administrators")
	assert.Equal(t, "set by warrant only", admins.DecidedBy)
	assert.True(t, admins.InStep)
}

// Whoever is a member after the end of a warrant, and nobody asks for, is found: also where the device says nothing of
// it. Whoever was a member before is not.
func TestAMemberWhoseWarrantIsOver(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	d.AddAccount("clerk")
	d.AddAccount("fitter")
	require.NoError(t, d.Join("administrators", "fitter"))
	s.cycle(d, "SKL-TKT-001")
	s.until(func() bool { return len(s.localAdministrators(t, "SKL-TKT-001")) > 1 })
	for _, who := range []string{"local:clerk", "local:fitter"} {
		_, err := s.owner.AskWarrant(ctx, asks(who, "SKL-TKT-001"))
		require.NoError(t, err)
	}
	s.until(func() bool { return d.Cycle(ctx) == nil && isAdministrator(t, d, "clerk") })
	s.later(2*time.Hour + time.Minute)
	s.until(func() bool {
		list, err := s.owner.Warrants(ctx, client.WarrantQuery{Open: true}, client.Page{})
		return err == nil && len(list.Items) == 0
	})
	s.cycle(d, "SKL-TKT-001")
	assert.False(t, isAdministrator(t, d, "clerk"))
	assert.True(t, isAdministrator(t, d, "fitter"), "a membership that was there before stays")
	outlived := func() (subjects []string) {
		found, err := s.owner.Findings(ctx, client.FindingQuery{Kind: "warrant_outlived"}, client.Page{})
		require.NoError(t, err)
		for _, f := range found.Items {
			subjects = append(subjects, f.Subject)
		}
		return subjects
	}
	assert.Empty(t, outlived())

	require.NoError(t, d.Join("administrators", "clerk")) // as a device that did not see the end
	s.later(10 * time.Minute)
	s.cycle(d, "SKL-TKT-001")
	s.until(func() bool { return d.Cycle(ctx) == nil && len(outlived()) == 1 })
	assert.Equal(t, []string{"local:clerk"}, outlived())
	assert.Equal(t, "drifted", standing(s, "SKL-TKT-001"))
	require.NoError(t, d.RemoveMember(ctx, groupOf(t, d, "administrators"), d.Find("clerk")))
	s.until(func() bool { return d.Cycle(ctx) == nil && len(outlived()) == 0 })
}

// localAdministrators are the names of the administrators of a device, as the service knows them.
func (s *service) localAdministrators(t *testing.T, device string) (names []string) {
	members, err := s.owner.Administrators(t.Context(), device)
	require.NoError(t, err)
	for _, m := range members {
		names = append(names, m.Name)
	}
	return names
}

// For how long a warrant holds depends on who asks and on the devices. One for a group is for its devices as they are;
// extending is asking again.
func TestBoundsOfWarrants(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.config.WarrantCaps = []string{"support=1h", "group:bridge=30m"}
	s.restart()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "bridge", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-WKS-001")
	support := s.as("nightwatch", "support")
	_, err = s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-WKS-001", "SKL-TKT-001"))
	problem(t, err, 422, "15 min to 30 min on devices of the group bridge")
	_, err = support.AskWarrant(ctx, asks("local:clerk", "SKL-WKS-001"))
	problem(t, err, 422, "15 min to 1 hour for the role support")
	w, err := s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-WKS-001"))
	require.NoError(t, err)

	spec := api.WarrantSpec{Principal: "local:clerk", Group: "bridge", Minutes: 30, Reason: "ticket 4712"}
	both := spec
	both.Devices = []string{"SKL-WKS-001"}
	_, err = s.owner.AskWarrant(ctx, both)
	problem(t, err, 422, "not both")
	none := spec
	none.Group = "nowhere"
	_, err = s.owner.AskWarrant(ctx, none)
	problem(t, err, 422, "nowhere")
	of, err := s.owner.AskWarrant(ctx, spec)
	require.NoError(t, err)
	assert.Equal(t, []string{"SKL-TKT-001"}, of.Devices)
	_, err = s.owner.EditGroup(ctx, "bridge", client.GroupEdit{Add: []string{"SKL-WKS-001"}}, 1)
	require.NoError(t, err)
	of, err = s.owner.Warrant(ctx, of.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"SKL-TKT-001"}, of.Devices, "it does not become more")

	out := s.rankwarden("warrant", "extend", of.ID, "--for", "20m", "--reason", "not done yet")
	assert.Contains(t, out, "the group bridge, as it was when it was asked for")
	out, err = s.tried("warrant", "extend", w.ID, "--for", "3h")
	require.Error(t, err)
	assert.Contains(t, out, "on devices of the group bridge", "it is in there by now")
	_, err = s.tried("warrant", "ask", "local:clerk", "--group", "bridge", "--device", "SKL-WKS-001", "--reason", "r")
	require.Error(t, err)
}
