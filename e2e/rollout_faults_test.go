package e2e

import (
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// Whatever goes wrong in the middle of a rollout, it says in a sentence what an operator can do about it.
func TestWhatGoesWrongInARollout(t *testing.T) {
	t.Run("its change cannot be made any more when a wave opens", func(t *testing.T) {
		s := start(t)
		ctx := t.Context()
		s.publish("base", "passwords: {min_length: 8}", 500, "everything")
		fleet := s.fleetOf(4, 2)
		g, err := s.owner.CreateGroup(
			ctx,
			client.GroupSpec{Name: "shore", Devices: []string{"SKL-WKS-001", "SKL-WKS-003"}},
		)
		require.NoError(t, err)
		s.change("shore-first",
			api.ChangeEdit{Kind: "publish", Name: "shore", Document: document("shore", "passwords: {min_length: 12}")},
			aimAt("shore", 100, 0, "shore"),
		)
		s.rollOut("shore-first")
		s.rolls("shore-first", "running [1t] [1n]")
		require.NoError(t, s.owner.DeleteGroup(ctx, "shore", g.Version))
		s.cycleAll(fleet, "SKL-WKS-001")
		s.untilStops(
			"shore-first",
			`stopped: the change cannot be made any more: edit 2 (assign shore): it does not exist: `+
				`there is no group "shore"`,
		)
		_, err = s.owner.CreateGroup(
			ctx,
			client.GroupSpec{Name: "shore", Devices: []string{"SKL-WKS-001", "SKL-WKS-003"}},
		)
		require.NoError(t, err)
		_, err = s.owner.ResumeRollout(ctx, "shore-first", "the group is back", "")
		require.NoError(t, err)
		s.rolls("shore-first", "running [1v] [1t]")
	})

	t.Run("every device of a wave is off", func(t *testing.T) {
		s := start(t)
		ctx := t.Context()
		s.config.SecondPersonOpens = true
		s.restart()
		s.publish("base", "passwords: {min_length: 8}", 500, "everything")
		s.fleetOf(3, 1)
		s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
		s.rollOut("longer")
		r := s.rolls("longer", "running [1t] [2n]")
		assert.Equal(
			t,
			"no device was heard from yet; at least 80 % of those that are must be verified, and never none",
			r.Lanes[0].Gate[0].Words,
		)
		assert.Contains(t, r.Lanes[0].Stuck, "they may all be off")
		_, err := s.owner.OpenWave(ctx, "longer", " ")
		problem(t, err, http.StatusUnprocessableEntity, "a reason is needed")
		step, err := s.owner.OpenWave(ctx, "longer", "the ship is at sea")
		require.NoError(t, err)
		assert.Equal(t, &api.RolloutAsk{By: "asta", Reason: "the ship is at sea", Wave: 2}, step.Rollout.Asked)
		_, err = s.owner.OpenWave(ctx, "longer", "the ship is at sea")
		problem(t, err, http.StatusForbidden, "somebody else must open it")
		_, err = s.as("sigurd", "deployer", "first-wave").OpenWave(ctx, "longer", "agreed")
		problem(t, err, http.StatusForbidden, "on devices that your role does not reach")
		_, err = s.as("runa", "deployer").OpenWave(ctx, "longer", "agreed")
		require.NoError(t, err)
		s.rolls("longer", "running [1t] [2t]")
	})

	t.Run("a gate that can never pass", func(t *testing.T) {
		s := start(t)
		s.publish("base", "passwords: {min_length: 8}", 500, "everything")
		fleet := s.fleetOf(3, 1)
		s.change("contest",
			api.ChangeEdit{Kind: "publish", Name: "other", Document: document("other", closing(11))},
			api.ChangeEdit{Kind: "publish", Name: "third", Document: document("third", closing(12))},
			aimAt("other", 100, 0, "everything"), aimAt("third", 100, 0, "everything"),
		)
		s.rollOut("contest")
		s.until(func() bool { s.settled(); return len(s.why("SKL-WKS-001").Units) > 1 })
		require.NoError(t, fleet["SKL-WKS-001"].Cycle(t.Context()))
		r := s.rolls("contest", "running [1h] [2n]")
		assert.Contains(t, r.Lanes[0].Stuck, "too few are verified: 1 held. It cannot pass until that changes")
	})

	t.Run("a clock that jumps", func(t *testing.T) {
		s := start(t)
		s.devices = together{s.clock}
		s.publish("base", "passwords: {min_length: 8}", 500, "everything")
		fleet := s.fleetOf(3, 1)
		s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
		how := s.atGate("longer")
		how.Gate.SoakSeconds = 100
		_, err := s.owner.StartRollout(t.Context(), how)
		require.NoError(t, err)
		s.cycleAll(fleet, "SKL-WKS-001")
		s.rolls("longer", "running [1v] [2n]")
		s.clock.forward(5 * time.Hour) // time that nobody watched is no soak
		require.NoError(t, s.Deploy.WatchRollouts(t.Context()))
		s.rolls("longer", "running [1v] [2n]")
		for range 3 {
			s.clock.forward(40 * time.Second)
			s.until(func() bool { // until somebody has looked at that time
				require.NoError(t, s.Deploy.WatchRollouts(t.Context()))
				record, err := s.db.With(t.Context()).Rollout("longer")
				require.NoError(t, err)
				return s.clock.now().Sub(record.LookedAt) < 20*time.Second
			})
		}
		s.rolls("longer", "running [1v] [2t]")
	})

	t.Run("a wave of devices that all refuse by their guard", func(t *testing.T) {
		s := start(t)
		s.publish("base", "passwords: {min_length: 8}", 500, "everything")
		fleet := s.fleetOf(4, 2)
		s.change("close",
			api.ChangeEdit{Kind: "publish", Name: "closed", Document: closed("closed", outsider)},
			aimAt("closed", 100, 0, "everything"),
		)
		s.rollOut("close")
		s.settled()
		s.cycleUnseen(fleet, "SKL-WKS-001", "SKL-WKS-002")
		r := s.rolls("close", "stopped [2g] [2n]")
		assert.Equal(
			t,
			"stopped in wave 1, first-wave: 2 refused by the guard, none allowed, since it would have left no usable "+
				"administrator; administrators on SKL-WKS-001, SKL-WKS-002",
			r.Decisions[0].Words,
		)
	})
}

// closing asks that one outsider is the only remote desktop user.
func closing(id int) string {
	return fmt.Sprintf(
		"membership: [{local_group: remote-desktop-users, mode: exact, members: ['sid:S-1-5-21-1-2-3-%d']}]", id,
	)
}

// untilStops waits until a rollout is stopped, and compares what it says.
func (s *service) untilStops(change, says string) {
	s.t.Helper()
	s.until(func() bool { s.settled(); return s.rollout(change).State == "stopped" })
	assert.Contains(s.t, s.rollout(change).Decisions[0].Words, says)
}

// A replica is killed in the middle of a wave, and the database is away for a while: the other replica goes on.
func TestARolloutOutlivesAReplicaAndTheDatabase(t *testing.T) {
	s := start(t)
	s.stop()
	way := newRelay(t, fmt.Sprintf("127.0.0.1:%d", cluster.Port))
	direct, err := url.Parse(s.config.Database)
	require.NoError(t, err)
	direct.Host = way.Addr().String()
	s.config.Database, s.config.Patience = direct.String(), time.Second
	s.run()
	t.Cleanup(func() { s.stop() }) // while there is a way to the database
	dir := t.TempDir()
	other := rankwardend(
		dir,
		"serve",
		"--listen",
		freeAddress(t),
		"--database",
		s.config.Database,
		"--keys",
		s.config.Keys,
		"--escrow-keys",
		s.config.EscrowKeys,
		"--organisation",
		"Skerry Line",
		"--interval",
		"1m",
	)
	logs, err := os.Create(filepath.Join(dir, "log"))
	require.NoError(t, err)
	other.Stderr = logs
	require.NoError(t, other.Start())
	t.Cleanup(func() {
		_ = other.Process.Kill()
		_ = other.Wait()
		if said, err := os.ReadFile(logs.Name()); t.Failed() {
			t.Logf("the other replica said: %s %v", said, err)
		}
	})
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	fleet := s.fleetOf(6, 2)
	s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
	s.rollOut("longer", 50)
	s.cycleAll(fleet, "SKL-WKS-001")
	s.until(func() bool { return s.rollout("longer").OpenWaves == 2 }) // whichever replica saw it
	require.NoError(t, other.Process.Kill())
	var killed *exec.ExitError
	require.ErrorAs(t, other.Wait(), &killed)
	reads := func() bool { _, err := s.owner.Rollout(t.Context(), "longer"); return err == nil }
	way.cut()
	s.until(func() bool { return !reads() })
	way.heal()
	for range 10 { // as many connections as there may be that do not know yet
		s.until(func() bool { return s.Deploy.SettlePending(t.Context()) == nil && reads() })
	}
	r := s.rollout("longer")
	s.settled()
	s.cycleAll(fleet, append(inWave(r, 2), "SKL-WKS-002")...)
	s.until(func() bool { return s.rollout("longer").OpenWaves == 3 })
	s.settled()
	s.cycleAll(fleet, inWave(r, 3)...)
	s.until(func() bool { return s.rollout("longer").EndedAt != nil })
	for name, d := range fleet {
		assert.Equal(t, 12, minLength(t, d), name)
	}
}
