package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// goesOut drafts a change that locks after so many wrong passwords, and starts it in waves of shares.
func (f *faulty) goesOut(name string, threshold string, group string, shares ...int) {
	f.t.Helper()
	ctx := f.t.Context()
	_, err := f.owner.CreatePolicy(ctx, document(name,
		"lockout: {threshold: "+threshold+", duration: 15m, window: 15m}"))
	require.NoError(f.t, err)
	p, err := f.owner.Policy(ctx, name)
	require.NoError(f.t, err)
	_, err = f.owner.CreateChange(ctx, name, "", "")
	require.NoError(f.t, err)
	_, err = f.owner.AddEdit(ctx, name, api.ChangeEdit{Kind: "publish", Name: name,
		Document: document(name, "lockout: {threshold: "+threshold+", duration: 15m, window: 15m}"),
		BasedOn:  p.Version})
	require.NoError(f.t, err)
	_, err = f.owner.AddEdit(ctx, name, api.ChangeEdit{Kind: "assign", Name: name,
		Assignment: &api.Aim{Policy: name, Include: []string{group}, Rank: 10}})
	require.NoError(f.t, err)
	preview, err := f.owner.PreviewChange(ctx, name)
	require.NoError(f.t, err)
	_, err = f.owner.StartRollout(ctx, api.StartRollout{Change: name, Digest: preview.Digest,
		Shares: append([]int{}, shares...),
		Gate:   f.gate()})
	require.NoError(f.t, err)
}

// gate is what a wave must show, unless a test lets everything pass.
func (f *faulty) gate() *api.Gate {
	if f.lenient {
		return &api.Gate{Verified: 1, Failed: 100, SoakSeconds: 1, Heard: 1}
	}
	return &api.Gate{Verified: 80, Failed: 2, SoakSeconds: 3, Heard: 90}
}

// A change cuts off whoever carries it out, before they can say so: it stops in its first wave, and says who was lost.
func TestAChangeThatCutsDevicesOff(t *testing.T) {
	f := newFaulty(t, 15)
	ctx := t.Context()
	for i, name := range f.names {
		d := f.fleet.Device(name)
		if i > 0 { // all but one
			d.Link.CutWhile(func() bool { return d.Machine.Machine().Lockout.Threshold == 9 })
		}
	}
	f.goesOut("cut", "9", "everything")
	require.Eventually(t, func() bool {
		r, err := f.owner.Rollout(ctx, "cut")
		return err == nil && r.State == "stopped"
	}, patience, 50*time.Millisecond)
	r, err := f.owner.Rollout(ctx, "cut")
	require.NoError(t, err)
	assert.Equal(t, 5, f.locksAt(9), "only the first wave has it")
	assert.GreaterOrEqual(t, r.Tally.Lost, 1)
	assert.Contains(t, r.Said, "failed or lost")
	assert.Positive(t, r.Lanes[1].Tally.NotOpen)
	lost, err := f.owner.RolloutDevices(ctx, "cut", 0, "lost", client.Page{})
	require.NoError(t, err)
	assert.NotEmpty(t, lost.Items)

	// Heard again, they count again, and the change can be reverted.
	for _, name := range f.names {
		f.fleet.Device(name).Link.CutWhile(func() bool { return false })
	}
	require.Eventually(t, func() bool {
		r, err := f.owner.Rollout(ctx, "cut")
		return err == nil && r.Tally.Lost == 0 && r.Tally.Verified == 5
	}, patience, 50*time.Millisecond)
	_, err = f.owner.RevertRollout(ctx, "cut", "it cuts devices off", true)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return f.locksAt(9) == 0 }, patience, 50*time.Millisecond)
	f.inStep(len(f.names))
}

// Many devices join the group of a change whose first wave is open: none of them overtakes those that were planned, and
// somebody is asked.
func TestManyJoinAnOpenWave(t *testing.T) {
	f := newFaulty(t, 60)
	ctx := t.Context()
	planned, joining := f.names[:15], f.names[15:]
	_, err := f.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: planned})
	require.NoError(t, err)
	f.settledIn()
	f.goesOut("joined", "9", "desks")
	require.Eventually(t, func() bool { return f.locksAt(9) == 5 }, patience, 20*time.Millisecond)
	_, err = f.owner.PauseRollout(ctx, "joined", "nobody else yet")
	require.NoError(t, err)
	g, err := f.owner.Group(ctx, "desks")
	require.NoError(t, err)
	_, err = f.owner.EditGroup(ctx, "desks", client.GroupEdit{Add: joining}, g.Version)
	require.NoError(t, err)
	stopped := func() bool {
		r, err := f.owner.Rollout(ctx, "joined")
		return err == nil && r.State == "stopped"
	}
	require.Eventually(t, stopped, 2*time.Minute, 20*time.Millisecond)
	r, err := f.owner.Rollout(ctx, "joined")
	require.NoError(t, err)
	assert.Contains(t, r.Said, "came to waves that are open already")
	assert.Greater(t, r.Tally.Late, 5)
	assert.Equal(t, 60, r.Tally.Devices(), "every one was drawn")
	assert.Equal(t, 5, f.locksAt(9), "and none has it")

	_, err = f.owner.ResumeRollout(ctx, "joined", "", "")
	require.Error(t, err, "a reason is needed")
	_, err = f.owner.ResumeRollout(ctx, "joined", "they moved in today", "")
	require.NoError(t, err)
	if !assert.Eventually(t, func() bool { return f.locksAt(9) == 60 }, patience, 50*time.Millisecond) {
		r, err := f.owner.Rollout(ctx, "joined")
		require.FailNow(t, "it does not go on", "%d of 60; %+v %v", f.locksAt(9), r, err)
	}
	require.Eventually(t, func() bool {
		r, err := f.owner.Rollout(ctx, "joined")
		return err == nil && r.State == "done"
	}, patience, 50*time.Millisecond)
	f.inStep(60)
}

// settledIn waits until nothing is left to settle.
func (f *faulty) settledIn() {
	f.until(func() bool {
		o, err := f.owner.Overview(f.t.Context())
		return err == nil && o.Unsettled == 0
	})
}

// A freeze stops every wave, or everything, until somebody thaws it; nothing goes round it.
func TestAFreezeStopsEverything(t *testing.T) {
	f := newFaulty(t, 12)
	ctx := t.Context()
	f.goesOut("slow", "9", "everything")
	require.Eventually(t, func() bool { return f.locksAt(9) == 5 }, patience, 20*time.Millisecond)
	_, err := f.owner.Freeze(ctx, api.NewFreeze{What: "all", Reason: "incident 4711"})
	require.NoError(t, err)
	_, err = f.owner.OpenWave(ctx, "slow", "in a hurry")
	problem(t, err, 409, "frozen by asta: incident 4711")
	f.edit(8) // accepted, and waits
	assert.Never(t, func() bool { return f.locksAt(9) != 5 || f.locksAt(8) > 0 }, 6*time.Second, 100*time.Millisecond,
		"longer than its soak")
	o, err := f.owner.Overview(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, o.Decisions)
	assert.Equal(t, "Settling and rollouts are frozen", o.Decisions[0].Title)
	assert.Contains(t, f.why(f.names[0]).Notes[0], "incident 4711")
	viewer := f.as("lookout", "viewer")
	_, err = viewer.Freeze(ctx, api.NewFreeze{What: "all", Reason: "r"})
	problem(t, err, 403, "may not do this")
	_, err = f.owner.CreateGroup(ctx, client.GroupSpec{Name: "pier", Devices: f.names[:1]})
	require.NoError(t, err)
	_, err = f.as("runa", "deployer", "pier").Freeze(ctx, api.NewFreeze{What: "all", Reason: "r"})
	problem(t, err, 403, "devices that your role does not reach")
	require.NoError(t, f.owner.Thaw(ctx, "over"))
	require.Error(t, f.owner.Thaw(ctx, "over"))
	require.Eventually(t, func() bool { return f.locksAt(9) == 12 }, patience, 50*time.Millisecond)
}
