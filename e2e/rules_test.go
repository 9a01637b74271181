package e2e

import (
	"io"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/policy"
	"rankwarden.example/internal/agent/host/simulated"
)

// unitWhy is one unit of a device as it is explained.
func unitWhy(s *service, device, name string) api.UnitWhy {
	for _, u := range s.why(device).Units {
		if u.Unit == name {
			return u
		}
	}
	require.Fail(s.t, "not a setting of "+name)
	return api.UnitWhy{}
}

// reboot starts a device anew as another machine, with what its agent kept.
func reboot(s *service, d *device, m simulated.Machine) {
	d.Workstation = simulated.Boot(m, s.clock.now)
	s.wake(d, "")
}

func (s *service) rule(name, rule string) api.Group {
	g, err := s.owner.CreateGroup(s.t.Context(), client.GroupSpec{Name: name, Rule: rule})
	require.NoError(s.t, err)
	return g
}

func (s *service) aim(name string, aim api.Aim) {
	_, err := s.owner.CreateAssignment(s.t.Context(), name, aim)
	require.NoError(s.t, err)
}

// Groups by rule follow what is known of devices; only what changed is settled again.
func TestGroupsByRule(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	desk, ship := s.enrolled("SKL-TKT-001"), s.enrolledAs("SKL-BRG-001")
	s.rule("new-builds", "device.os_build >= 22631")
	s.rule("kiosks", `"kiosk" in device.tags`)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.publish("new", "passwords: {min_length: 12}", 100, "new-builds")
	s.publish("kiosk", "passwords: {history: 5}", 100)
	s.aim("kiosk", api.Aim{Policy: "kiosk", Include: []string{"everything"}, Within: []string{"kiosks"}, Rank: 90})
	s.cycle(desk, "SKL-TKT-001")
	s.cycle(ship, "SKL-BRG-001")
	asked := func(name string) string { return unitWhy(s, name, "passwords.min_length").Desired }
	assert.Equal(t, "12 characters", asked("SKL-TKT-001"))
	desired := func(name string) int64 { return s.why(name).Device.Desired }
	shipHas, deskHas := desired("SKL-BRG-001"), desired("SKL-TKT-001")

	// A fact of the organisation.
	tags, path := []string{"kiosk"}, "north/kirkness/desk"
	require.NoError(t, s.owner.SetFacts(ctx, []api.Facts{{Device: "SKL-TKT-001", Tags: &tags, Path: &path}}))
	s.cycle(desk, "SKL-TKT-001")
	assert.Equal(t, "5 remembered", unitWhy(s, "SKL-TKT-001", "passwords.history").Desired)
	assert.Equal(t, deskHas+1, desired("SKL-TKT-001"))
	assert.Equal(t, shipHas, desired("SKL-BRG-001"), "nothing changed for it, so it is told nothing")
	settled, err := query[int](
		t,
		s.config.Database,
		"select (after->>'devices')::int from audit_entries where action = 'device.resettled' order by seq desc "+
			"limit 1",
	)
	require.NoError(t, err)
	assert.Equal(t, 1, settled, "only the one whose groups changed")

	// A fact the device says of itself.
	ship.Upgrade("10.0.19045", 19045)
	require.NoError(t, ship.Cycle(ctx))
	s.cycle(ship, "SKL-BRG-001")
	assert.Equal(t, "8 characters", asked("SKL-BRG-001"))

	// Another rule.
	g, err := s.owner.Group(ctx, "new-builds")
	require.NoError(t, err)
	rule := `device.os_build >= 19045 && device.path == ""`
	_, err = s.owner.EditGroup(ctx, g.Name, client.GroupEdit{Rule: &rule}, g.Version)
	require.NoError(t, err)
	s.cycle(desk, "SKL-TKT-001")
	s.cycle(ship, "SKL-BRG-001")
	assert.Equal(t, []string{"8 characters", "12 characters"}, []string{asked("SKL-TKT-001"), asked("SKL-BRG-001")})
	members, err := s.owner.GroupDevices(ctx, "new-builds", client.Page{})
	require.NoError(t, err)
	require.Len(t, members.Items, 1)
	assert.Equal(t, "SKL-BRG-001", members.Items[0].Device)

	trial, err := s.owner.TestRule(ctx, `device.model == "Quay 7"`)
	require.NoError(t, err)
	assert.Equal(t, api.RuleTrial{Unknown: 2, Examples: []string{}, Reads: []string{"model"}}, trial)

	// Mistakes are named with their place; nobody talks itself out of a policy.
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "wrong", Rule: "device.os_biuld > 1"})
	problem(t, err, 422, "line 1, column 7")
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "both", Rule: "true", Devices: []string{"SKL-TKT-001"}})
	problem(t, err, 422, "leave one out")
	_, err = s.owner.EditGroup(ctx, "kiosks", client.GroupEdit{Add: []string{"SKL-TKT-001"}}, 1)
	problem(t, err, 422, "follow its rule")
	_, err = s.owner.CreateAssignment(
		ctx,
		"escape",
		api.Aim{Policy: "base", Include: []string{"everything"}, Exclude: []string{"new-builds"}, Rank: 9},
	)
	problem(t, err, 422, "it could talk itself out of the policy")
	s.aim("no-kiosks", api.Aim{Policy: "base", Include: []string{"everything"}, Exclude: []string{"kiosks"}, Rank: 800})
	own := "device.os_build > 1"
	_, err = s.owner.EditGroup(ctx, "kiosks", client.GroupEdit{Rule: &own}, 1)
	problem(t, err, 422, "reads device.os_build")
	bad := "north//desk"
	problem(t, s.owner.SetFacts(ctx, []api.Facts{{Device: "SKL-TKT-001", Path: &bad}}), 422, "without empty parts")
	problem(t, s.owner.SetFacts(ctx, []api.Facts{{Device: "SKL-XXX-001", Path: &path}}), 404, "SKL-XXX-001")
}

// The schema is served to editors, whoever asks.
func TestPolicySchemaIsServed(t *testing.T) {
	s := start(t)
	resp, err := http.Get(s.URL + "/api/v1/policy-schema.json")
	require.NoError(t, err)
	defer resp.Body.Close()
	served, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	assert.Equal(t, string(policy.Schema), string(served))
	assert.Equal(t, "application/schema+json", resp.Header.Get("Content-Type"))

	check, err := s.owner.CheckPolicy(
		t.Context(),
		document("base", "rotation: [{target: builtin:administrator, secret: {style: words}}]"),
	)
	require.NoError(t, err)
	assert.Empty(t, check.Problems)
	assert.Contains(t, check.Asks[0].Words, "5 words (65 bits)")
}

// What a token grants is what its devices are known by.
func TestEnrolmentGrantsFacts(t *testing.T) {
	s := start(t)
	s.rule("kiosks", `"kiosk" in device.tags && device.path == "north/kirkness"`)
	s.publish("base", "passwords: {min_length: 8}", 500, "kiosks")
	token, err := s.owner.CreateEnrolmentToken(
		t.Context(),
		client.EnrolmentSpec{Uses: 1, Hours: 1, Path: "north/kirkness", Tags: []string{"kiosk", "spare"}},
	)
	require.NoError(t, err)
	d := s.device("SKL-TKT-001", token.Token)
	require.NoError(t, d.Cycle(t.Context()))
	s.cycle(d, "SKL-TKT-001")
	w := s.why("SKL-TKT-001")
	assert.Equal(t, []string{"north/kirkness", "kiosk", "spare"}, append([]string{w.Device.Path}, w.Device.Tags...))
	assert.Equal(t, "8 characters", w.Units[0].Desired)
	found, err := s.owner.Devices(t.Context(), client.DeviceQuery{Search: "spare"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, found.Items, 1, "found by its tag")
	_, err = s.owner.CreateEnrolmentToken(
		t.Context(),
		client.EnrolmentSpec{Uses: 1, Hours: 1, Groups: []string{"kiosks"}},
	)
	problem(t, err, 422, "nobody can be put into it")
	_, err = s.owner.CreateEnrolmentToken(t.Context(), client.EnrolmentSpec{Uses: 1, Hours: 1, Path: "/x"})
	problem(t, err, 422, "without empty parts")
}

// enrolledAs is [service.enrolled] for a device that not a setting of yet.
func (s *service) enrolledAs(name string) *device {
	d := s.device(name, s.enrolmentToken(1))
	require.NoError(s.t, d.Cycle(s.t.Context()))
	s.settled()
	return d
}

// Where nobody can say whether an assignment applies, everything is held until the fact is known.
func TestUndecidedScopeHoldsEverything(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8, history: 3}", 500, "everything")
	d := s.enrolled("SKL-INF-001")
	s.rule("quays", `device.model == "Quay 7"`)
	s.publish("quay", "passwords: {min_length: 16}", 100, "quays")
	s.settled()
	w := s.why("SKL-INF-001")
	assert.Equal(t, "held", w.Device.Standing)
	assert.Equal(t, "undecided", w.Assignments[0].Reason)
	require.Len(t, w.Problems, 1)
	assert.Contains(
		t,
		w.Problems[0].Words,
		"whether quay applies is unknown: the rule of the group quays reads device.model, which this device has not "+
			"reported",
	)
	assert.Contains(t, w.Problems[0].Words, "has(device.model)")
	for _, u := range w.Units {
		assert.Equal(t, "every setting of this device is held", u.Held, "why is said once")
		assert.NotEqual(t, "none yet, held", u.Desired, "it keeps what it had")
	}
	o, err := s.owner.Overview(t.Context())
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1, "it is told once where decisions are")
	assert.Equal(t, "every setting", o.Decisions[0].Title)

	base, err := s.owner.Policy(t.Context(), "base")
	require.NoError(t, err)
	_, err = s.owner.SavePolicy(t.Context(), "base", document("base", "passwords: {min_length: 9}"), base.Version)
	require.NoError(t, err)
	base, err = s.owner.Policy(t.Context(), "base")
	require.NoError(t, err)
	_, err = s.owner.PublishPolicy(t.Context(), "base", base.Version)
	require.NoError(t, err)
	s.settled()
	assert.Equal(
		t,
		"8 characters, kept from desired state 1",
		unitWhy(s, "SKL-INF-001", "passwords.min_length").Desired,
	)
	assert.Equal(
		t,
		"3 remembered, kept from desired state 1",
		unitWhy(s, "SKL-INF-001", "passwords.history").Desired,
		"even what nobody asks for now",
	)

	g, err := s.owner.Group(t.Context(), "quays")
	require.NoError(t, err)
	careful := `has(device.model) && device.model == "Quay 7"`
	_, err = s.owner.EditGroup(t.Context(), "quays", client.GroupEdit{Rule: &careful}, g.Version)
	require.NoError(t, err)
	s.cycle(d, "SKL-INF-001")
	assert.Equal(t, "9 characters", unitWhy(s, "SKL-INF-001", "passwords.min_length").Desired)
	assert.Equal(t, "in_step", standing(s, "SKL-INF-001"))
}

// A trial assignment changes nothing on devices, and shows what it would change.
func TestTrialOnlyForecasts(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}\nlockout: {threshold: 10}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	before := s.why("SKL-TKT-001").Device.Desired
	s.publish("strict", "lockout: {threshold: 3}\npasswords: {history: 9}", 100)
	s.aim("strict", api.Aim{Policy: "strict", Include: []string{"everything"}, Rank: 100, Stance: "trial"})
	s.cycle(d, "SKL-TKT-001")
	w := s.why("SKL-TKT-001")
	assert.Equal(t, before, w.Device.Desired)
	assert.Equal(t, "in_step", w.Device.Standing)
	lockout := unitWhy(s, "SKL-TKT-001", "lockout")
	require.NotNil(t, lockout.Trial)
	assert.Equal(t, "after 3 wrong attempts within 15 min, locked for 15 min", lockout.Trial.Desired)
	assert.Equal(t, "strict outranks base", lockout.Trial.DecidedBy)
	require.Len(t, lockout.Trial.Effects, 1)
	assert.Equal(
		t,
		"lockout gets stricter: after 10 wrong attempts within 15 min, locked for 15 min → after 3 wrong attempts "+
			"within 15 min, locked for 15 min",
		lockout.Trial.Effects[0].Words,
	)
	assert.Nil(t, unitWhy(s, "SKL-TKT-001", "passwords.min_length").Trial, "what would not change is not shown")
	history := unitWhy(s, "SKL-TKT-001", "passwords.history")
	assert.Equal(t, "set by trial assignments only", history.DecidedBy)
	assert.Equal(t, "trial", w.Assignments[0].Stance)

	strict, err := s.owner.Assignment(t.Context(), "strict")
	require.NoError(t, err)
	_, err = s.owner.EditAssignment(
		t.Context(),
		"strict",
		api.Aim{Policy: "strict", Include: []string{"everything"}, Rank: 100, Stance: "enforce"},
		strict.Version,
	)
	require.NoError(t, err)
	s.cycle(d, "SKL-TKT-001")
	assert.Nil(t, unitWhy(s, "SKL-TKT-001", "lockout").Trial)
	assert.Equal(t, 3, d.Machine().Lockout.Threshold)
}
