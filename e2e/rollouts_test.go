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
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/room/notify"
)

// A rollout passes all its gates: each device gets the change with its wave and not before, a device that comes joins,
// one that is off gets it when it returns, and what it touches is kept from everybody else meanwhile.
func TestARolloutPassesItsGates(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.publish("desks", "lockout: {threshold: 0}", 100)
	fleet := s.fleetOf(8, 2)
	s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
	s.change("other", api.ChangeEdit{Kind: "withdraw", Name: "base", BasedOn: 1})

	_, err := s.owner.StartRollout(ctx, api.StartRollout{Change: "longer", Digest: "sha-256:other"})
	problem(t, err, http.StatusConflict, "no longer what you saw")
	_, err = s.owner.StartRollout(ctx, api.StartRollout{Change: "longer", First: []string{"frist-wave"}})
	problem(t, err, http.StatusUnprocessableEntity, `did you mean "first-wave"?`)
	_, err = s.as("dagny", "author").StartRollout(ctx, s.atGate("longer"))
	problem(t, err, http.StatusForbidden, "may not do this")
	s.rollOut("longer", 50)
	r := s.rolls("longer", "running [2t] [2n] [4n]")
	assert.Equal(t, []string{"SKL-WKS-001", "SKL-WKS-002"}, inWave(r, 1))
	assert.Equal(
		t,
		[]string{"first-wave", "to 50 %", "the rest"},
		[]string{r.Lanes[0].Title, r.Lanes[1].Title, r.Lanes[2].Title},
	)

	s.cycleAll(fleet, "SKL-WKS-003", "SKL-WKS-008")
	assert.Equal(t, []int{8, 8}, []int{minLength(t, fleet["SKL-WKS-003"]), minLength(t, fleet["SKL-WKS-008"])})
	s.cycle(fleet["SKL-WKS-001"], "SKL-WKS-001") // which opens the next wave
	assert.Equal(t, 12, minLength(t, fleet["SKL-WKS-001"]))
	for _, edit := range []func() error{
		func() error {
			_, err := s.owner.SavePolicy(ctx, "base", document("base", "passwords: {min_length: 9}"), 2)
			return err
		},
		func() error {
			_, err := s.owner.CreateAssignment(ctx, "late",
				api.Aim{Policy: "base", Include: []string{"first-wave"}, Rank: 9})
			return err
		},
		func() error { _, err := s.owner.StartRollout(ctx, s.atGate("other")); return err },
		func() error {
			_, err := s.owner.ApplyChange(ctx, "other", s.atGate("other").Digest)
			return err
		},
	} {
		problem(t, edit(), http.StatusConflict, `the change "longer" is on its way`)
	}
	_, err = s.owner.AddEdit(ctx, "longer", aimAt("desks", 100, 0, "first-wave"))
	problem(t, err, http.StatusConflict, "pause its rollout to edit it")
	_, err = s.owner.DropChange(ctx, "longer", "")
	problem(t, err, http.StatusConflict, "pause its rollout")

	// One of two is verified, and the other was not heard from: that counts neither way.
	r = s.rolls("longer", "running [1t1v] [2t] [4n]")
	s.restart() // nothing is forgotten
	second := inWave(r, 2)
	s.cycleAll(fleet, second...)
	r = s.rolls("longer", "running [1t1v] [2v] [4t]")
	late := s.device("SKL-WKS-009", s.enrolmentToken(1))
	require.NoError(t, late.Cycle(ctx))
	joined := s.joins("longer", "SKL-WKS-009", 9)
	require.NoError(t, s.owner.RetireDevice(ctx, inWave(r, 3)[0], api.Retirement{Because: "sold"}))
	s.rolls("longer", []string{"running [2t1v] [2v] [3t]", "running [1t1v] [1t2v] [3t]",
		"running [1t1v] [2v] [4t]"}[joined-1],
		// where the one that joined was told at once, and has carried it out
		[]string{"running [1t2v] [2v] [3t]", "running [1t1v] [3v] [3t]", "running [1t1v] [2v] [3t1v]"}[joined-1])
	s.cycle(late, "SKL-WKS-009")
	assert.Equal(t, 12, minLength(t, late))
	s.cycle(fleet[inWave(r, 3)[1]], inWave(r, 3)[1])
	s.rolls("longer", []string{"done [1t2v] [2v] [2t1v]", "done [1t1v] [3v] [2t1v]",
		"done [1t1v] [2v] [2t2v]"}[joined-1],
		"done [1t1v] [2v] [3t1v]") // where the one that came was seen first, and was enough

	// It is done, and its change made for good: devices that were off get it when they return.
	s.until(func() bool { return s.rollout("longer").EndedAt != nil })
	base, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 2, base.Revision)
	x, err := s.owner.Change(ctx, "longer")
	require.NoError(t, err)
	assert.Equal(t, "done", x.State)
	s.settled()
	before := s.why("SKL-WKS-001").Device.Desired
	s.cycle(fleet["SKL-WKS-002"], "SKL-WKS-002")
	assert.Equal(t, 12, minLength(t, fleet["SKL-WKS-002"]))
	assert.Equal(t, before, s.why("SKL-WKS-001").Device.Desired, "making it for good tells nobody anew")
	_, err = s.owner.RevertRollout(ctx, "longer", "too late", false)
	problem(t, err, http.StatusConflict, "has ended (done)")
	said := []string{}
	for _, d := range slices.Backward(s.rollout("longer").Decisions) {
		said = append(said, d.By+": "+d.Words)
	}
	assert.Equal(t, []string{
		"asta: started, in waves: first-wave (2), to 50 % (2), the rest (4)",
		": opened wave 1, first-wave: 2 devices",
		": wave 1, first-wave, passed its gate", ": opened wave 2, to 50 %: 2 devices",
		": wave 2, to 50 %, passed its gate", ": opened wave 3, the rest: 4 devices",
		": wave 3, the rest, passed its gate", ": done: the last wave passed its gate",
	}, said)
	list, err := s.owner.Rollouts(ctx, true, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}

// lockOut is a change that some workstations cannot carry out.
func (s *service) lockOut(fleet map[string]*device, failing ...string) {
	for _, name := range failing {
		fleet[name].SetFaults(simulated.Faults{DenyLockout: true})
	}
	s.change(
		"lock-sooner",
		s.publishing("base", "passwords: {min_length: 8}\nlockout: {threshold: 5, duration: 15m, window: 15m}"),
	)
}

// A gate stops a rollout; it is looked into, mended by an edit, and goes on with that.
func TestARolloutStopsIsMendedAndGoesOn(t *testing.T) {
	s := notified(t)
	told := s.webhook("desk", notify.RolloutStopped)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	fleet := s.fleetOf(6, 2)
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-WKS-001"}})
	require.NoError(t, err)
	s.lockOut(fleet, "SKL-WKS-002")
	s.rollOut("lock-sooner")
	s.cycleUnseen(fleet, "SKL-WKS-002", "SKL-WKS-001")
	r := s.rolls("lock-sooner", "stopped [1v1f] [4n]")
	s.eventually(func() bool { return len(told.Events()) == 1 }, "the stop was told")
	assert.Equal(t, "the rollout lock-sooner was stopped by the gate of wave 1, because of 1 device",
		told.Events()[0].Data.Message)
	assert.Equal(
		t,
		"stopped in wave 1, first-wave: 1 of 2 failed or lost (50 %), at most 10 %; lockout on SKL-WKS-002",
		r.Decisions[0].Words,
	)
	failed, err := s.owner.RolloutDevices(ctx, "lock-sooner", 1, "failed", client.Page{})
	require.NoError(t, err)
	require.Len(t, failed.Items, 1)
	assert.Equal(t, "failed: lockout", failed.Items[0].Words)

	some := s.as("nils", "viewer", "desks") // who sees one device of it, and no numbers of the others
	seen, err := some.Rollout(ctx, "lock-sooner")
	require.NoError(t, err)
	assert.Equal(t, []string{"[1v] [n]", "at least 80 % of those heard from verified",
		"stopped in wave 1, first-wave by its gate, which asks for: at most 10 % failed or lost"}, []string{
		fmt.Sprintf(
			"[%s] [%s]",
			tallied(seen.Lanes[0].Tally),
			"n",
		), seen.Lanes[0].Gate[0].Words, seen.Decisions[0].Words,
	})
	assert.Equal(t, 1, seen.Tally.Devices())
	assert.Equal(t, seen.Decisions[0].Words, seen.Said)

	late := s.enrolled("SKL-WKS-007") // nothing starts while it is stopped
	s.cycle(late, "SKL-WKS-007")
	assert.NotEqual(t, 5, stateOf(t, late).Lockout.Threshold)
	_, err = s.owner.OpenWave(ctx, "lock-sooner", "in a hurry")
	problem(t, err, http.StatusConflict, "resume it first")
	_, err = s.owner.ResumeRollout(ctx, "lock-sooner", "", "")
	problem(t, err, http.StatusUnprocessableEntity, "a reason is needed")

	// An edit mends it. It goes on only with the preview of what it is now.
	_, err = s.owner.AddEdit(ctx, "lock-sooner", s.publishing("base", "passwords: {min_length: 10}"))
	require.NoError(t, err)
	assert.True(t, s.rollout("lock-sooner").Edited)
	_, err = s.owner.ApplyChange(ctx, "lock-sooner", s.atGate("lock-sooner").Digest)
	problem(t, err, http.StatusConflict, "a rollout of the change")
	_, err = s.owner.Look(nil).ResumeRollout(ctx, "lock-sooner", "without the lockout", "")
	problem(t, err, http.StatusConflict, "look at what this would do")
	s.owner.Look(hasLooked)
	step, err := s.owner.ResumeRollout(ctx, "lock-sooner", "without the lockout", s.atGate("lock-sooner").Digest)
	require.NoError(t, err)
	require.NotNil(t, step.Rollout)
	s.settled()
	joined := s.joins("lock-sooner", "SKL-WKS-007", 7)
	s.rolls("lock-sooner", []string{"running [3t] [4n]", "running [2t] [5n]"}[joined-1])
	s.cycleAll(fleet, "SKL-WKS-001", "SKL-WKS-002")
	if joined == 1 {
		s.cycle(late, "SKL-WKS-007")
	}
	assert.Equal(t, 10, minLength(t, fleet["SKL-WKS-002"]))
	s.rolls("lock-sooner", []string{"running [3v] [4t]", "running [2v] [5t]"}[joined-1])
	s.cycle(late, "SKL-WKS-007")
	s.cycleAll(fleet, "SKL-WKS-003", "SKL-WKS-004", "SKL-WKS-005", "SKL-WKS-006")
	s.until(func() bool { return s.rollout("lock-sooner").State == "done" }) // as soon as enough of them are verified
}

// A revert takes the change back from every device that has it, also from one that was off.
func TestARolloutIsReverted(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	fleet := s.fleetOf(4, 2)
	s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
	s.rollOut("longer")
	s.cycleAll(fleet, "SKL-WKS-001")
	s.rolls("longer", "running [1t1v] [2t]")
	_, err := s.owner.PauseRollout(ctx, "longer", "lunch")
	require.NoError(t, err)
	_, err = s.owner.RevertRollout(ctx, "longer", " ", false)
	problem(t, err, http.StatusUnprocessableEntity, "say why")
	_, err = s.owner.RevertRollout(ctx, "longer", "the wrong policy", false)
	require.NoError(t, err)
	s.settled()
	for name, d := range fleet {
		s.cycle(d, name)
		assert.Equal(t, 8, minLength(t, d), name)
	}
	x, err := s.owner.Change(ctx, "longer")
	require.NoError(t, err)
	assert.Equal(t, "reverted", x.State)
	base, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 1, base.Revision)
	_, err = s.owner.SavePolicy(ctx, "base", document("base", "passwords: {min_length: 9}"), base.Version)
	require.NoError(t, err, "what it touched is free again")
}

// A revert with give back returns what the change took away, where nobody altered it since and nothing in force forbids
// it; what could not be given back is told.
func TestARevertGivesBack(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {history: 3}", 500, "everything")
	fleet := s.fleetOf(4, 3)
	one, two, three := fleet["SKL-WKS-001"], fleet["SKL-WKS-002"], fleet["SKL-WKS-003"]
	for _, d := range fleet {
		d.AddAccount("mechanic")
		require.NoError(t, d.Join("remote-desktop-users", "mechanic"))
		require.NoError(t, d.SetLockout(ctx, unit.LockoutRule{Threshold: 7, DurationMinutes: 9, WindowMinutes: 9}))
	}
	s.change(
		"shut",
		api.ChangeEdit{
			Kind: "publish",
			Name: "shut",
			Document: document("shut", "passwords: {history: 5}\nlockout: {threshold: 3, duration: 15m, window: "+
				"15m}\nmembership: [{local_group: remote-desktop-users, mode: exact, members: []}]"),
		},
		aimAt("shut", 100, 0, "everything"),
	)
	s.rollOut("shut")
	s.cycleAll(fleet, "SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-003")
	assert.Empty(t, membersOf(t, one, "remote-desktop-users"))
	require.NoError(t, two.SetLockout(ctx, unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}))
	two.SetFaults(simulated.Faults{DenyLockout: true})
	_, err := s.owner.PauseRollout(ctx, "shut", "")
	require.NoError(t, err)
	_, err = s.owner.RevertRollout(ctx, "shut", "the mechanics need it", true)
	require.NoError(t, err)
	s.publish("still", "membership: [{local_group: remote-desktop-users, mode: exact, members: [account:mooring]}]", 90)
	s.settled()
	s.cycleAll(fleet, "SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-004")
	assert.Len(t, membersOf(t, one, "remote-desktop-users"), 1, "the mechanic is back")
	assert.Equal(t, 7, stateOf(t, one).Lockout.Threshold)
	assert.Equal(t, 3, *stateOf(t, one).Passwords.History, "what a policy asks for is that again")
	assert.Equal(t, 50, stateOf(t, two).Lockout.Threshold, "somebody altered it since")
	words := []string{}
	for _, e := range append(s.events(client.EventQuery{Kind: "given_back"}),
		s.events(client.EventQuery{Kind: "not_given_back"})...) {
		words = append(words, e.Device+": "+e.Words)
	}
	assert.ElementsMatch(t, []string{
		"SKL-WKS-001: lockout was given back, since a change was reverted: after 7 wrong attempts within 9 min, " +
			"locked for 9 min",
		"SKL-WKS-001: mechanic was given back to remote desktop users, since a change was reverted",
		"SKL-WKS-002: mechanic was given back to remote desktop users, since a change was reverted",
		"SKL-WKS-002: lockout could not be given back: it was altered since",
	}, words)

	// Once, whatever is settled later; and not where what is in force by now forbids it.
	require.NoError(t, one.SetLockout(ctx, unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}))
	s.aim("still", api.Aim{Policy: "still", Include: []string{"everything"}, Rank: 90})
	s.settled()
	s.cycleAll(fleet, "SKL-WKS-001", "SKL-WKS-003")
	assert.Equal(t, 50, stateOf(t, one).Lockout.Threshold)
	assert.Empty(t, membersOf(t, three, "remote-desktop-users"))
	last := s.events(client.EventQuery{Device: "SKL-WKS-003", Kind: "not_given_back"})
	require.Len(t, last, 1)
	assert.Equal(
		t,
		"mechanic could not be given back to remote desktop users: a policy in force asks for something else",
		last[0].Words,
	)
}
