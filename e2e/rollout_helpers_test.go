package e2e

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/store"
)

// fleetOf enrols devices of numbered names; the first ones are in the group first-wave.
func (s *service) fleetOf(n, first int) map[string]*device {
	names := []string{}
	fleet := map[string]*device{}
	for i := range n {
		names = append(names, fmt.Sprintf("SKL-WKS-%03d", i+1))
	}
	_, err := s.owner.CreateGroup(s.t.Context(), client.GroupSpec{Name: "first-wave", Devices: names[:first]})
	require.NoError(s.t, err)
	for _, name := range names {
		fleet[name] = s.enrolled(name)
	}
	return fleet
}

// change drafts a change of some edits.
func (s *service) change(name string, edits ...api.ChangeEdit) {
	ctx := s.t.Context()
	_, err := s.owner.CreateChange(ctx, name, "", "")
	require.NoError(s.t, err)
	for _, e := range edits {
		_, err = s.owner.AddEdit(ctx, name, e)
		require.NoError(s.t, err)
	}
}

// publishing is the edit that publishes a document over the version that a policy has.
func (s *service) publishing(name, body string) api.ChangeEdit {
	p, err := s.owner.Policy(s.t.Context(), name)
	require.NoError(s.t, err)
	return api.ChangeEdit{Kind: "publish", Name: name, Document: document(name, body), BasedOn: p.Version}
}

// atGate is how a change goes out in tests: no soak.
func (s *service) atGate(change string, shares ...int) api.StartRollout {
	p, err := s.owner.PreviewChange(s.t.Context(), change)
	require.NoError(s.t, err)
	return api.StartRollout{
		Change: change, Digest: p.Digest, Shares: append([]int{}, shares...),
		Gate: &api.Gate{Verified: 80, Failed: 10, Heard: 1},
	}
}

func (s *service) rollOut(change string, shares ...int) {
	step, err := s.owner.StartRollout(s.t.Context(), s.atGate(change, shares...))
	require.NoError(s.t, err)
	require.NotNil(s.t, step.Rollout)
	s.settled()
}

func (s *service) rollout(change string) api.Rollout {
	r, err := s.owner.Rollout(s.t.Context(), change)
	require.NoError(s.t, err)
	return r
}

// rolls waits until a rollout stands as said, or as the other things said: state, and each wave with its devices by
// outcome.
func (s *service) rolls(change string, want ...string) api.Rollout {
	s.t.Helper()
	var r api.Rollout
	got := ""
	defer func() {
		if !slices.Contains(want, got) {
			s.t.Log("it stands: ", got)
		}
	}()
	s.until(func() bool {
		require.NoError(s.t, s.Deploy.WatchRollouts(s.t.Context()))
		r = s.rollout(change)
		got = r.State
		for _, l := range r.Lanes {
			got += fmt.Sprintf(" [%s]", tallied(l.Tally))
		}
		return slices.Contains(want, got)
	})
	return r
}

func tallied(t api.RolloutTally) (text string) {
	for _, part := range []struct {
		n    int
		what string
	}{
		{t.NotOpen, "n"}, {t.Told, "t"}, {t.Working, "w"}, {t.Verified, "v"}, {t.Failed, "f"}, {t.GuardRefused, "g"},
		{t.Held, "h"}, {t.Lost, "x"}, {t.Late, "l"},
	} {
		if part.n > 0 {
			text += fmt.Sprint(part.n, part.what)
		}
	}
	return text
}

// joins waits until a device that came late is in a rollout of so many devices, and gives the wave that it was drawn
// into, from 1. Which that is lies in its identifier.
func (s *service) joins(change, device string, of int) (wave int) {
	s.t.Helper()
	s.until(func() bool {
		require.NoError(s.t, s.Deploy.WatchRollouts(s.t.Context()))
		r := s.rollout(change)
		for i := range r.Lanes {
			if slices.Contains(inWave(r, i+1), device) {
				wave = i + 1
			}
		}
		return wave > 0 && r.Tally.Devices() == of
	})
	return wave
}

// inWave are the names of the devices of a wave.
func inWave(r api.Rollout, wave int) (names []string) {
	for _, m := range r.Lanes[wave-1].Marks {
		names = append(names, m.Device)
	}
	return names
}

func (s *service) cycleAll(fleet map[string]*device, names ...string) {
	for _, name := range names {
		s.cycle(fleet[name], name)
	}
}

// cycleUnseen is cycleAll while nobody looks at rollouts, so that their reports are judged together.
func (s *service) cycleUnseen(fleet map[string]*device, names ...string) {
	s.until(func() bool {
		held, err := s.Deploy.Locks.Exclusively(s.t.Context(), store.LockRollouts, func(context.Context) error {
			s.cycleAll(fleet, names...)
			return nil
		})
		require.NoError(s.t, err)
		return held
	})
}

func minLength(t *testing.T, d *device) int { return *stateOf(t, d).Passwords.MinLength }
