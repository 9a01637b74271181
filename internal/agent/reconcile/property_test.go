package reconcile_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/reconcile"
)

// anySettings draws a desired state that does not contradict itself.
func anySettings(t *rapid.T) []unit.Setting {
	people := []string{
		"local:keeper",
		"local:setup",
		"local:mechanic",
		"local:ghost",
		leads,
		"sid:S-1-5-21-9-9-9-9",
		"builtin:guest",
	}
	pick := func(label string) []principal.Ref {
		list := []principal.Ref{}
		for _, p := range people {
			if rapid.Bool().Draw(t, label+p) {
				list = append(list, principal.MustParse(p))
			}
		}
		return list
	}
	var settings []unit.Setting
	for _, group := range []string{"administrators", "users", "nowhere"} {
		m := unit.Members{
			Closed:  rapid.Bool().Draw(t, "closed "+group),
			Present: pick("in " + group),
			Absent:  []principal.Ref{},
		}
		if m.Closed && group == "administrators" {
			m.Present = append(m.Present, principal.Administrator)
		}
		if !m.Closed {
			m.Absent = slices.DeleteFunc(
				pick("out "+group),
				func(r principal.Ref) bool { return slices.Contains(m.Present, r) },
			)
		}
		settings = append(settings, unit.Setting{Unit: unit.MembershipOf(group), Value: m})
	}
	return append(
		settings,
		unit.Setting{Unit: unit.MinLength, Value: unit.Int(rapid.IntRange(0, 20).Draw(t, "length"))},
		unit.Setting{Unit: unit.MinAgeDays, Value: unit.Int(rapid.IntRange(0, 9).Draw(t, "least age"))},
		unit.Setting{Unit: unit.MaxAgeDays, Value: unit.Int(rapid.IntRange(10, 99).Draw(t, "age"))},
		unit.Setting{
			Unit: unit.Lockout,
			Value: unit.LockoutValue{
				Threshold:       rapid.IntRange(1, 9).Draw(t, "threshold"),
				DurationMinutes: 15,
				WindowMinutes:   15,
			},
		},
	)
}

// Whatever is asked, whoever interferes and whenever the power goes: a usable administrator stays,
// and what differs in the end is what the device said it could not do, or who does not exist.
func TestWhateverIsAsked(t *testing.T) {
	base := workstation(t)
	rapid.Check(t, func(rt *rapid.T) {
		w := simulated.Boot(base.Machine(), base.Now)
		var outcome reconcile.Outcome
		var settings []unit.Setting
		for range rapid.IntRange(1, 4).Draw(rt, "rounds") {
			settings = anySettings(rt)
			switch rapid.IntRange(0, 3).Draw(rt, "interference") {
			case 0:
				require.NoError(rt, w.Join("administrators", "mechanic"))
			case 1:
				require.NoError(rt, w.SetPasswords(t.Context(), drift.Passwords{MinLength: new(0)}))
			case 2:
				w.CutAfter(rapid.IntRange(0, 8).Draw(rt, "power"))
			}
			if _, err := once(t, w, settings); err != nil {
				require.ErrorIs(rt, err, simulated.ErrCut)
			}
			w.CutAfter(-1)
			require.Positive(rt, localAdministrators(t, w))
		}
		var err error
		outcome, err = once(t, w, settings)
		require.NoError(rt, err)
		failed := map[string]bool{}
		for _, f := range outcome.Failures {
			failed[fmt.Sprint(f.Unit, f.Principal)] = true
		}
		for _, f := range drift.Check(settings, &outcome.After, outcome.Failures, drift.Context{}) {
			explained := f.Kind == drift.ApplyFailed || f.Kind == drift.GroupMissing ||
				f.Actual == drift.NoSuchAccount ||
				failed[fmt.Sprint(f.Unit, f.Subject)]
			assert.True(rt, explained, "%+v", f)
		}
		again, err := once(t, w, settings)
		require.NoError(rt, err)
		assert.Equal(rt, outcome.After, again.After, "a second pass changes nothing")
		assert.Equal(rt, outcome.Failures, again.Failures)
	})
}
