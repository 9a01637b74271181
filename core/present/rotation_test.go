package present_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// A changed rule of rotation is shown part by part, before and after, and what protects less is marked.
func TestWhatBecomesOfARotation(t *testing.T) {
	strong := unit.Secret{Style: unit.Characters, Length: 24, Use: []string{"lower", "upper", "digits"}}
	base := unit.RotationValue{EveryMinutes: 30 * 24 * 60, Secret: strong, AfterUse: unit.AfterUse{WaitMinutes: 240,
		Then: unit.EndSessions}, AfterRevealMinutes: new(60), RedrawName: true, Keep: 5}
	with := func(alter func(r *unit.RotationValue)) unit.RotationValue {
		r := base
		alter(&r)
		return r
	}
	for words, after := range map[string]unit.RotationValue{
		"every 30 days → 90 days (weaker)": with(func(r *unit.RotationValue) { r.EveryMinutes = 90 * 24 * 60 }),
		"every 30 days → 7 days":           with(func(r *unit.RotationValue) { r.EveryMinutes = 7 * 24 * 60 }),
		"password of 24 characters of lower, upper, digits (143 bits) → 12 characters of lower, upper, digits (71 " +
			"bits) (weaker)": with(func(r *unit.RotationValue) { r.Secret.Length = 12 }),
		"after a sign-in 4 hours → 8 hours (weaker)": with(
			func(r *unit.RotationValue) { r.AfterUse.WaitMinutes = 480 }),
		"then sessions end → nothing (weaker)": with(
			func(r *unit.RotationValue) { r.AfterUse.Then = unit.Nothing }),
		"then sessions end → the device restarts": with(
			func(r *unit.RotationValue) { r.AfterUse.Then = unit.Restart }),
		"after it was viewed 1 hour → never (weaker)": with(func(r *unit.RotationValue) {
			r.AfterRevealMinutes = nil
		}),
		"after it was viewed 1 hour → 30 min": with(func(r *unit.RotationValue) { r.AfterRevealMinutes = new(30) }),
		"new name on → off (weaker)":          with(func(r *unit.RotationValue) { r.RedrawName = false }),
		"former passwords kept 5 → 2":         with(func(r *unit.RotationValue) { r.Keep = 2 }),
		"every 30 days → 31 days (weaker); new name on → off (weaker)": with(func(r *unit.RotationValue) {
			r.EveryMinutes, r.RedrawName = 31*24*60, false
		}),
	} {
		e := effect.Effect{Kind: effect.RotationChanged, Unit: unit.RotationOf(principal.FromKey("keeper")),
			Subject: "account:keeper", Before: base, After: after}
		assert.Equal(t, "rotation of managed keeper changes: "+words, present.Effect(e))
	}
}
