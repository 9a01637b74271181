package deploy

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// What a device made of a change is read from what it reported since it was told, and of the settings that the change
// alters.
func TestJudge(t *testing.T) {
	opened := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	after := func(d time.Duration) *time.Time { return new(opened.Add(d)) }
	told := store.RolloutSight{
		DeviceID: "D1", Units: []unit.ID{unit.Lockout, unit.MinLength}, Epoch: 1, Number: 7, Since: opened,
		State:         store.Live,
		ReportedEpoch: 1, ReportedNumber: 6, ReportedAt: after(-time.Hour), LastContact: after(-time.Minute),
	}
	with := func(alter func(d *store.RolloutSight)) store.RolloutSight { d := told; alter(&d); return d }
	reported := with(func(d *store.RolloutSight) {
		d.ReportedNumber, d.ReportedAt, d.LastContact = 7, after(time.Second), after(time.Second)
	})
	finding := func(id unit.ID, kind drift.Kind, actual string) store.OpenFinding {
		return store.OpenFinding{DeviceID: "D1", Unit: id, Kind: kind, Actual: actual}
	}
	failed := finding(unit.Lockout, drift.ApplyFailed, `"access denied"`)
	refused := finding(unit.MinLength, drift.ApplyFailed, `"`+drift.GuardError+`"`)
	for name, c := range map[string]struct {
		sight    store.RolloutSight
		findings []store.OpenFinding
		want     rollout.Outcome
		settings []unit.ID
	}{
		"not heard from since its wave opened": {told, nil, rollout.Told, nil},
		"heard from, and holds an older desired state": {
			with(func(d *store.RolloutSight) { d.LastContact = after(time.Second) }), nil, rollout.Working, nil,
		},
		"reported before it was told of the change": {
			with(func(d *store.RolloutSight) { d.Number, d.ReportedAt = 0, after(time.Second) }), nil, rollout.Working,
			nil,
		},
		"read back": {reported, nil, rollout.Verified, nil},
		"read back under a later one": {with(func(d *store.RolloutSight) { *d = reported; d.ReportedNumber = 9 }),
			nil, rollout.Verified, nil},
		"read back in a later epoch": {with(
			func(d *store.RolloutSight) { *d = reported; d.ReportedEpoch, d.ReportedNumber = 2, 1 }), nil,
			rollout.Verified, nil},
		"it could not": {reported, []store.OpenFinding{failed}, rollout.Failed,
			[]unit.ID{unit.Lockout}},
		"its guard refused, which is worse": {reported, []store.OpenFinding{failed, refused}, rollout.GuardRefused,
			[]unit.ID{unit.MinLength}},
		"it differs, and nobody knows why": {reported,
			[]store.OpenFinding{finding(unit.Lockout, drift.WrongValue, "")}, rollout.Working, nil},
		"something else has failed for weeks": {
			reported, []store.OpenFinding{finding(unit.Administrators, drift.ApplyFailed, `"x"`)}, rollout.Verified,
			nil,
		},
		"its platform cannot": {reported, []store.OpenFinding{finding(unit.Lockout, drift.UnitUnsupported, "")},
			rollout.Verified, nil},
		"a setting of the change is held": {
			with(func(d *store.RolloutSight) { *d = reported; d.Held = []resolve.HeldUnit{{Unit: unit.Lockout}} }),
			nil, rollout.Held, []unit.ID{unit.Lockout},
		},
		"another setting is held": {
			with(func(d *store.RolloutSight) {
				*d = reported
				d.Held = []resolve.HeldUnit{{Unit: unit.Administrators}}
			}),
			nil, rollout.Verified, nil,
		},
		"it counts anew, and has said nothing new yet": {
			with(func(d *store.RolloutSight) { *d = reported; d.ReportedAt = after(-time.Second) }),
			[]store.OpenFinding{failed}, rollout.Working, nil,
		},
		"it counts anew, and has tried again since": {
			with(func(d *store.RolloutSight) {
				*d = reported
				d.ReportedAt, d.LastContact = after(-time.Second), after(2*time.Minute)
			}),
			[]store.OpenFinding{failed}, rollout.Failed, []unit.ID{unit.Lockout},
		},
	} {
		outcome, settings := judge(c.sight, c.findings, time.Minute)
		assert.Equal(t, c.want, outcome, name)
		assert.Equal(t, c.settings, settings, name)
	}
}

// A device is lost where it was online when it was told, was given the change, and was not heard from for three
// check-in intervals since; time in which the service itself was away does not count.
func TestLost(t *testing.T) {
	const interval = time.Minute
	opened := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	after := func(d time.Duration) *time.Time { return new(opened.Add(d)) }
	cut := store.RolloutSight{DeviceID: "D1", Since: opened, Online: true, GivenAt: after(time.Second),
		LastContact: after(-10 * time.Second)}
	with := func(alter func(d *store.RolloutSight)) store.RolloutSight { d := cut; alter(&d); return d }
	for name, c := range map[string]struct {
		sight   store.RolloutSight
		outcome rollout.Outcome
		now     time.Duration // since its wave opened
		present time.Duration // since when the service was there
		lost    bool
	}{
		"silent since it was given the change": {cut, rollout.Told, 3*interval + time.Second, -time.Hour, true},
		"not for so long":                      {cut, rollout.Told, 3 * interval, -time.Hour, false},
		"it was away": {with(func(d *store.RolloutSight) { d.Online = false }), rollout.Told,
			time.Hour, -time.Hour, false},
		"it was not given the change": {with(func(d *store.RolloutSight) { d.GivenAt = nil }), rollout.Told,
			time.Hour, -time.Hour, false},
		"it took the change, and fell silent": {with(
			func(d *store.RolloutSight) { d.LastContact = after(2 * time.Second) }), rollout.Working,
			3*interval + 2*time.Second, -time.Hour, true},
		"it was heard a moment ago": {with(
			func(d *store.RolloutSight) { d.LastContact = after(30 * time.Minute) }), rollout.Working, 31 * time.Minute,
			-time.Hour, false},
		"it has verified, and went off":  {cut, rollout.Verified, time.Hour, -time.Hour, false},
		"the service was away":           {cut, rollout.Told, time.Hour, 58 * time.Minute, false},
		"the service came back long ago": {cut, rollout.Told, time.Hour, 50 * time.Minute, true},
	} {
		s := &Service{}
		s.Interval, s.Now = interval, func() time.Time { return opened.Add(c.now) }
		s.Present = func() time.Time { return opened.Add(c.present) }
		assert.Equal(t, c.lost, s.lost(c.sight, c.outcome), name)
	}
}
