package e2e

import (
	"fmt"
	"net/http"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/gate"
)

const withMechanic = "membership: [{local_group: administrators, mode: adjust, members: ['local:mechanic']}]"

// besieged is a service where a second person is asked for wherever one can be, with devices and somebody who may draft
// and deploy everywhere, alone.
type besieged struct {
	*service
	alone   *client.Client
	devices map[string]*device
}

func besiege(t *testing.T) *besieged {
	s := start(t)
	s.stop()
	s.config.Approvals = gate.Approvals{AddedAdministrators: true, RemovedAdministrators: 1, Everything: true,
		AllAtOnce: true}
	s.config.SecondPersonOpens, s.config.SecondPersonWaives, s.config.SecondPersonKeys = true, true, true
	s.config.Brake = gate.DefaultBrake
	s.run()
	b := &besieged{service: s, devices: map[string]*device{}}
	b.alone = s.person("egil", api.Role{Role: "author", Groups: []string{}},
		api.Role{Role: "deployer", Groups: []string{}})
	for i := range 4 {
		name := fmt.Sprintf("SKL-WKS-%03d", i+1)
		b.devices[name] = s.device(name, s.enrolmentToken(1))
		b.devices[name].AddAccount("mechanic")
		require.NoError(t, b.devices[name].Cycle(t.Context()))
		s.until(func() bool { return s.why(name).Device.Desired > 0 })
	}
	return b
}

// isHeld asserts that nobody became an administrator of any device.
func (b *besieged) isHeld(by string) {
	b.t.Helper()
	for name, d := range b.devices {
		b.cycle(d, name)
		assert.NotContains(b.t, membersOf(b.t, d, "administrators"), "mechanic", "%s: by %s", name, by)
	}
}

// published saves a policy and publishes it, which gives nobody anything as long as nothing uses it.
func (b *besieged) published(name, body string) {
	b.t.Helper()
	p, err := b.alone.CreatePolicy(b.t.Context(), document(name, body))
	require.NoError(b.t, err)
	_, err = b.alone.PublishPolicy(b.t.Context(), name, p.Version)
	require.NoError(b.t, err)
}

func (b *besieged) group(name string, devices ...string) api.Group {
	b.t.Helper()
	g, err := b.alone.CreateGroup(b.t.Context(), client.GroupSpec{Name: name, Devices: devices})
	require.NoError(b.t, err)
	return g
}

func (b *besieged) aim(name, policy string, groups ...string) error {
	_, err := b.alone.CreateAssignment(b.t.Context(), name, api.Aim{Policy: policy, Include: groups, Rank: 30})
	return err
}

// Whatever somebody who drafts and deploys alone tries, and in whatever order, nobody becomes an administrator.
func TestNobodyBecomesAdministratorByOnePerson(t *testing.T) {
	b := besiege(t)
	ctx := t.Context()
	waits := func(err error) string {
		t.Helper()
		return problem(t, err, http.StatusConflict, "waits for a second person").Waits
	}
	b.published("mechanics", withMechanic)
	b.published("quiet", "passwords: {min_length: 12}")
	b.group("nobody-yet")
	b.group("crew", "SKL-WKS-001")
	require.NoError(t, b.aim("crew", "quiet", "crew"))

	waits(b.aim("all", "mechanics", "everything"))
	waits(b.aim("none", "mechanics", "nobody-yet"))
	b.isHeld("an assignment")

	over, err := b.alone.SavePolicy(ctx, "quiet", document("quiet", withMechanic), 2)
	require.NoError(t, err)
	_, err = b.alone.PublishPolicy(ctx, "quiet", over.Version)
	change := waits(err)
	b.isHeld("another revision of a policy in force")

	preview, err := b.alone.PreviewChange(ctx, change)
	require.NoError(t, err)
	_, err = b.alone.DecideChange(ctx, change, true, "", preview.Digest)
	problem(t, err, http.StatusForbidden, "somebody else must approve it")
	token, err := b.alone.CreateToken(ctx, "pipeline", "", 8)
	require.NoError(t, err)
	program := client.New(b.URL, token.Secret).Look(hasLooked)
	_, err = program.DecideChange(ctx, change, true, "", preview.Digest)
	problem(t, err, http.StatusForbidden, "an API token may not do this")

	_, err = b.alone.CreateChange(ctx, "waves", "", "a reason")
	require.NoError(t, err)
	now, err := b.alone.Policy(ctx, "quiet")
	require.NoError(t, err)
	_, err = b.alone.AddEdit(ctx, "waves", api.ChangeEdit{Kind: "publish", Name: "quiet", BasedOn: now.Version,
		Document: document("quiet", "passwords: {min_length: 14}")})
	require.NoError(t, err)
	preview, err = b.alone.PreviewChange(ctx, "waves")
	require.NoError(t, err)
	_, err = b.alone.StartRollout(ctx, api.StartRollout{Change: "waves", Digest: preview.Digest})
	require.NoError(t, err)
	_, err = b.alone.PauseRollout(ctx, "waves", "")
	require.NoError(t, err)
	_, err = b.alone.AddEdit(ctx, "waves", api.ChangeEdit{Kind: "publish", Name: "quiet", BasedOn: now.Version,
		Document: document("quiet", withMechanic)})
	require.NoError(t, err)
	preview, err = b.alone.PreviewChange(ctx, "waves")
	require.NoError(t, err)
	step, err := b.alone.ResumeRollout(ctx, "waves", "", preview.Digest)
	require.NoError(t, err)
	require.NotNil(t, step.Change)
	assert.Equal(t, "waiting", step.Change.State, "a resume with another edit")
	b.isHeld("a rollout whose change was edited")
	b.walk()
	b.isHeld("some operation")
}

// walk tries every operation that changes something, as the person alone.
func (b *besieged) walk() {
	header := b.session("egil")
	for _, o := range operations(b.t) {
		if !slices.Contains([]string{"sign-out", "events"}, o.id) {
			try(b.t, b.URL, o, header)
		}
	}
}

// What was taken from somebody comes back only with a second person.
func TestTakingBackARemovalNeedsASecondPerson(t *testing.T) {
	b := besiege(t)
	ctx := t.Context()
	b.published("mechanics", withMechanic)
	b.group("crew", "SKL-WKS-001")
	second := b.as("bjorn", "deployer")
	agree := func(err error) {
		t.Helper()
		change := problem(t, err, http.StatusConflict, "waits for a second person").Waits
		p, err := second.PreviewChange(ctx, change)
		require.NoError(t, err)
		_, err = second.DecideChange(ctx, change, true, "", p.Digest)
		require.NoError(t, err)
		done, err := b.alone.ApplyChange(ctx, change, p.Digest)
		require.NoError(t, err)
		assert.Equal(t, "done", done.State)
	}
	agree(b.aim("crew", "mechanics", "crew"))
	d := b.devices["SKL-WKS-001"]
	b.cycle(d, "SKL-WKS-001")
	require.Contains(t, membersOf(b.t, d, "administrators"), "mechanic")

	g, err := b.alone.Group(ctx, "crew")
	require.NoError(t, err)
	_, err = b.alone.EditGroup(ctx, "crew", client.GroupEdit{Add: []string{"SKL-WKS-002"}}, g.Version)
	problem(t, err, http.StatusConflict, "waits for a second person")
	b.cycle(b.devices["SKL-WKS-002"], "SKL-WKS-002")
	assert.NotContains(t, membersOf(t, b.devices["SKL-WKS-002"], "administrators"), "mechanic")

	told, err := b.owner.Trail(ctx, client.TrailQuery{Action: "administrators.altered"}, client.Page{})
	require.NoError(t, err)
	require.NotEmpty(t, told.Items)
	assert.Equal(t, "a test wants it", told.Items[0].Reason)
	assert.NotEmpty(t, told.Items[0].Differences)
}
