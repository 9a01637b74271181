package changes_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// strict asks for a second person wherever one can be asked for.
var strict = gate.Rules{
	Approvals: gate.Approvals{AddedAdministrators: true, RemovedAdministrators: 1, Everything: true, AllAtOnce: true},
	Brake:     gate.DefaultBrake,
}

const helpers = "format: rankwarden.policy/1\nname: helpers\nmembership:\n" +
	"  - {local_group: %s, mode: adjust, members: ['local:%s']}\n"

// saved is a draft of a policy that puts somebody into a local group.
func (f *fleet) saved(group, who string) store.Policy {
	p, _, err := f.NewPolicy(f.t.Context(), author, fmt.Sprintf(helpers, group, who))
	require.NoError(f.t, err)
	return p
}

func (f *fleet) listed(name string, devices ...string) {
	_, err := f.AddGroup(f.t.Context(), owner, name, devicegroups.Spec{Devices: devices}, asking)
	require.NoError(f.t, err)
}

// aim aims a policy at groups as whoever looks at what is to be looked at, and gives how that ended.
func (f *fleet) aim(who rights.Identity, name, policy string, groups ...string) string {
	return uowtest.Code(looked(func(asking changes.Asking) error {
		_, err := f.NewAssignment(f.t.Context(), who, assign.Assignment{Name: name, Policy: policy, Include: groups,
			Rank: 20}, asking)
		return err
	}))
}

func (f *fleet) add(who rights.Identity, group string, devices ...string) string {
	return uowtest.Code(looked(func(asking changes.Asking) error {
		g, err := f.Read(f.t.Context()).Group(group)
		require.NoError(f.t, err)
		_, err = f.ChangeGroup(f.t.Context(), who, group, devicegroups.Edit{Add: devices}, g.Version, asking)
		return err
	}))
}

// Nobody becomes an administrator by a quick edit, in whatever order the parts of it come.
func TestNoQuickEditMakesAnAdministrator(t *testing.T) {
	f := newFleet(t, 8, strict)
	ctx := t.Context()
	p := f.saved("administrators", "mechanic")
	_, err := f.PublishPolicy(ctx, author, "helpers", p.Version, asking)
	require.NoError(t, err, "a policy without an assignment does nothing")
	f.listed("nobody-yet")
	assert.Equal(t, "waits_for_approval", f.aim(author, "helpers", "helpers", "nobody-yet"),
		"also at a group without devices")
	assert.Equal(t, "done", f.aim(author, "quiet", "lamps", "nobody-yet"), "what gives nothing goes out")
	over, _, err := f.SavePolicy(ctx, author, "lamps", "format: rankwarden.policy/1\nname: lamps\nmembership:\n"+
		"  - {local_group: docker, custom: true, mode: adjust, members: ['local:mechanic']}\n", 1)
	require.NoError(t, err)
	assert.Equal(t, "waits_for_approval", uowtest.Code(looked(func(asking changes.Asking) error {
		_, err := f.PublishPolicy(ctx, author, "lamps", over.Version, asking)
		return err
	})), "and neither by another revision of a policy in force")
	a, err := f.Assignment(ctx, "piers")
	require.NoError(t, err)
	assert.Equal(t, 1, a.Revision)

	c, err := f.Change(ctx, "helpers-2")
	require.NoError(t, err)
	assert.Equal(t, store.ChangeWaiting, c.State)
	assert.Equal(t, []string{"it adds to administrators: local:mechanic"}, []string(c.Needs))
}

// Whoever widens a group, after somebody agreed to what it gets, is judged by the devices that come.
func TestWideningAGroupIsJudgedByWhoComes(t *testing.T) {
	f := newFleet(t, 8, strict)
	ctx := t.Context()
	p := f.saved("administrators", "mechanic")
	_, err := f.PublishPolicy(ctx, author, "helpers", p.Version, asking)
	require.NoError(t, err)
	f.listed("crew", f.names[0])
	require.Equal(t, "waits_for_approval", f.aim(author, "crew", "helpers", "crew"))
	name := "crew-2"
	digest := func(who rights.Identity) string {
		p, err := f.PreviewChange(ctx, who, name)
		require.NoError(t, err)
		return p.Digest
	}
	_, err = f.DecideChange(ctx, approver, name, true, "", digest(approver))
	require.NoError(t, err)
	require.Equal(t, "done", f.add(second, "crew", f.names[1], f.names[2]), "it has nothing yet")
	c, err := f.ApplyChange(ctx, author, name, changes.Asking{Seen: digest(author), Reason: "asked for"})
	require.NoError(t, err)
	assert.Equal(t, store.ChangeDraft, c.State, "what was agreed to was one device")
	events, _, err := f.ChangeHistory(ctx, owner, name, store.Page{})
	require.NoError(t, err)
	assert.Equal(t, "2 devices came since somebody was asked: SKL-TKT-002, SKL-TKT-003", events[0].Detail)

	_, err = f.ApplyChange(ctx, author, name, changes.Asking{Seen: digest(author), Reason: "asked for"})
	require.NoError(t, err)
	_, err = f.DecideChange(ctx, approver, name, true, "", digest(approver))
	require.NoError(t, err)
	g, err := f.Read(ctx).Group("crew")
	require.NoError(t, err)
	_, err = f.ChangeGroup(ctx, second, "crew", devicegroups.Edit{Remove: f.names[2:3]}, g.Version, asking)
	require.NoError(t, err)
	c, err = f.ApplyChange(ctx, author, name, changes.Asking{Seen: digest(author), Reason: "asked for"})
	require.NoError(t, err)
	assert.Equal(t, store.ChangeDone, c.State, "less than was agreed to goes out")
	assert.Equal(t, "waits_for_approval", f.add(second, "crew", f.names[3]), "and now whoever comes is asked for")
}

// The brake sums what somebody does within a day without looking.
func TestSmallStepsAreSummed(t *testing.T) {
	f := newFleet(t, 20, gate.Rules{Brake: gate.DefaultBrake})
	ctx := t.Context()
	f.listed("quay")
	require.Equal(t, "done", f.aim(owner, "quays", "lamps", "quay"))
	g, err := f.Read(ctx).Group("quay")
	require.NoError(t, err)
	g, err = f.ChangeGroup(ctx, author, "quay", devicegroups.Edit{Add: f.names[:5]}, g.Version, asking)
	require.NoError(t, err)
	_, err = f.ChangeGroup(ctx, author, "quay", devicegroups.Edit{Add: f.names[5:6]}, g.Version, asking)
	assert.Equal(t, "look_first", uowtest.Code(err), "the sixth device of the day")
	_, err = f.ChangeGroup(ctx, second, "quay", devicegroups.Edit{Add: f.names[5:6]}, g.Version, asking)
	assert.NoError(t, err, "which is another person's first")
}

// One wave that holds all is all at once, whatever it is called, also when it is resumed.
func TestOneWaveIsAllAtOnce(t *testing.T) {
	f := newFleet(t, 8, gate.Rules{Approvals: gate.Approvals{AllAtOnce: true}})
	ctx := t.Context()
	draft := func(name string, length int) {
		_, err := f.NewChange(ctx, author, name, "", "audit of May")
		require.NoError(t, err)
		for _, e := range []change.Edit{
			{Kind: change.Publish, Name: "bells", Document: fmt.Sprintf(
				"format: rankwarden.policy/1\nname: bells\npasswords: {min_length: %d}\n", length)},
			{Kind: change.Assign, Name: "bells", Assignment: &change.Aim{Policy: "bells",
				Include: []string{"everything"}, Rank: 10}},
		} {
			_, _, err := f.PutEdit(ctx, author, name, e, nil)
			require.NoError(t, err)
		}
	}
	start := func(name string, plan rollout.Plan) bool {
		p, err := f.PreviewChange(ctx, author, name)
		require.NoError(t, err)
		_, started, err := f.StartRollout(ctx, author, name, changes.GoingOut{
			Asking: changes.Asking{Seen: p.Digest}, Plan: plan})
		require.NoError(t, err)
		return started
	}
	draft("bells", 12)
	plan := f.DefaultPlan()
	plan.First = []string{"everything"}
	assert.False(t, start("bells", plan), "the first wave is everything")
	c, err := f.Change(ctx, "bells")
	require.NoError(t, err)
	assert.Equal(t, []string{"it goes to all of its devices at once"}, []string(c.Needs))
	draft("bells-2", 13)
	plan = f.DefaultPlan()
	f.listed("bow", f.names[:2]...)
	plan.First = []string{"bow"}
	assert.True(t, start("bells-2", plan))
}

// Who sees only a part of a change can neither apply nor approve it, and learns neither how much nor what more there
// is.
func TestOnlyWhoReachesAllOfItAgrees(t *testing.T) {
	f := newFleet(t, 4, strict)
	ctx := t.Context()
	p := f.saved("administrators", "mechanic")
	_, err := f.PublishPolicy(ctx, author, "helpers", p.Version, asking)
	require.NoError(t, err)
	f.listed("bridge", f.names[0])
	f.listed("crew", f.names...)
	require.Equal(t, "waits_for_approval", f.aim(author, "crew", "helpers", "crew"))
	f.open()
	narrow := operator([]string{"bridge"}, rights.Deployer)
	narrow.Name, narrow.OperatorID = "bjarke", "bjarke"
	seen, err := f.PreviewChange(ctx, narrow, "crew-2")
	require.NoError(t, err)
	assert.True(t, seen.Part)
	assert.Equal(t, 1, seen.Devices)
	assert.Empty(t, seen.Digest)
	whole, err := f.PreviewChange(ctx, approver, "crew-2")
	require.NoError(t, err)
	_, err = f.DecideChange(ctx, narrow, "crew-2", true, "", whole.Digest)
	assert.Equal(t, "out_of_reach", uowtest.Code(err), "also with the digest from somebody else")
	_, err = f.DecideChange(ctx, author, "crew-2", true, "", whole.Digest)
	assert.Equal(t, "own_change", uowtest.Code(err))
	_, err = f.DecideChange(ctx, approver, "crew-2", true, "", whole.Digest)
	assert.NoError(t, err)
}

// A change is taken back by one that is its opposite.
func TestAChangeIsTakenBack(t *testing.T) {
	f := newFleet(t, 3, gate.Rules{})
	ctx := t.Context()
	f.listed("crew", f.names[:2]...)
	require.Equal(t, "done", f.aim(owner, "crews", "lamps", "crew"))
	require.Equal(t, "done", f.add(owner, "crew", f.names[2]))
	back := func(name string) changes.ChangeWithEdits {
		c, err := f.RevertChange(ctx, author, name, "a mistake")
		require.NoError(t, err)
		p, err := f.PreviewChange(ctx, author, c.Name)
		require.NoError(t, err)
		c, err = f.ApplyChange(ctx, owner, c.Name, changes.Asking{Seen: p.Digest})
		require.NoError(t, err)
		assert.Equal(t, store.ChangeDone, c.State)
		return c
	}
	back("crew-2") // the third device
	g, err := f.Read(ctx).Group("crew")
	require.NoError(t, err)
	list, err := f.Read(ctx).GroupList(g.ID)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	back("crews")
	_, err = f.Assignment(ctx, "crews")
	assert.ErrorContains(t, err, "there is no assignment")
	again := back("revert-crews")
	assert.Equal(t, "revert-revert-crews", again.Name)
	_, err = f.Assignment(ctx, "crews")
	assert.NoError(t, err, "and that is taken back too")
	_, err = f.RevertChange(ctx, author, "crew", "")
	assert.NoError(t, err, "a group that was made")
}
