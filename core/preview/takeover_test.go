package preview_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// An account that exists is taken over with what is known of it, and is not where something runs as it.
func TestTakingOverIsForetold(t *testing.T) {
	setup := principal.MustSID("S-1-5-21-7-8-9-1003")
	state := &drift.State{
		Accounts: []drift.Account{{Name: "setup", SID: setup, Enabled: true}},
		LocalGroups: []drift.LocalGroup{{LocalGroup: "administrators", SID: drift.WellKnown("administrators"),
			Members: []drift.Member{{SID: setup}}}},
		Uses: []drift.Use{{SID: setup, LastSignIn: new(time.Date(2031, 3, 4, 0, 0, 0, 0, time.UTC))}},
	}
	told := func(v unit.AccountValue) (words []string) {
		v.Name, v.State = "setup", unit.Enabled
		after := resolve.Lane{Units: []resolve.Unit{{Unit: unit.AccountOf("keeper"), Value: v, Verdict: resolve.Sole,
			From: []string{"a"}}}}
		_, effects := preview.Differ(resolve.Lane{}, after, nil).Compare(preview.Device{State: state}, nil)
		for _, e := range effects {
			require.Equal(t, present.TakesOver, present.EffectSection(e.Kind))
			words = append(words, present.Effect(e))
		}
		return words
	}
	assert.Equal(t, []string{"managed keeper takes over an existing account: setup becomes setup (last sign-in " +
		"2031-03-04; in administrators)"}, told(unit.AccountValue{}))
	assert.Contains(t, told(unit.AccountValue{KeepPassword: true}),
		"managed keeper keeps its password and its sessions")

	state.Uses[0].Runs = []string{"service tide-sync"}
	assert.Equal(t, []string{"managed keeper does not take over setup, which is in use by service tide-sync; " +
		"take_over: true allows it"}, told(unit.AccountValue{}))
	assert.Contains(t, told(unit.AccountValue{TakeOver: true})[0], "in use by service tide-sync)")
	assert.Contains(t, effect.Kinds, effect.TakeoverRefused)
}
