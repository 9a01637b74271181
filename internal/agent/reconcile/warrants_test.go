package reconcile_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

// device is a workstation whose agent keeps memberships by warrant over a power cut.
type device struct {
	t    *testing.T
	w    *simulated.Workstation
	kept []journal.Granted
	at   time.Time
}

func warrantFor(who string) protocol.Warrant {
	return protocol.Warrant{ID: "W1", Warrant: warrant.Warrant{Unit: unit.Administrators,
		Principal: principal.MustParse(who), Until: now.Add(2 * time.Hour)}}
}

// pass is one pass; its error is that of a power cut.
func (d *device) pass(settings []unit.Setting, warrants ...protocol.Warrant) (reconcile.Outcome, error) {
	j := job(settings, nil)
	j.Now, j.Warrants, j.Granted = d.at, warrants, d.kept
	j.Keep = func(granted []journal.Granted) error { d.kept = slices.Clone(granted); return nil }
	out, err := reconcile.Run(d.t.Context(), d.w, j)
	if err == nil {
		d.kept = out.Granted
	}
	return out, err
}

func (d *device) has(who string) bool {
	state, err := d.w.Read(d.t.Context())
	require.NoError(d.t, err)
	group, there := state.Group(unit.GroupAdministrators)
	require.True(d.t, there)
	return group.Has(state.Find(principal.MustParse(who), nil, nil))
}

func kinds(events []drift.Event) (kinds []drift.EventKind) {
	for _, e := range events {
		if e.Unit == unit.Administrators {
			kinds = append(kinds, e.Kind)
		}
	}
	return kinds
}

// Whoever has a warrant is a member while it runs and not after, in an open and in an exact group, and whether anything
// is asked of the group or not.
func TestAWarrantRunsAndEnds(t *testing.T) {
	open := unit.Setting{Unit: unit.Administrators, Value: unit.Members{Present: []principal.Ref{},
		Absent: []principal.Ref{principal.MustParse("local:mechanic")}}}
	for name, c := range map[string]struct {
		settings []unit.Setting
		despite  bool
		joins    bool
	}{
		"nothing is asked":          {nil, false, true},
		"an exact list without him": {[]unit.Setting{only("local:keeper")}, false, true},
		"he is to be no member":     {[]unit.Setting{open}, false, false},
		"he is to be none, despite": {[]unit.Setting{open}, true, true},
	} {
		t.Run(name, func(t *testing.T) {
			d := &device{t: t, w: workstation(t), at: now}
			w := warrantFor("local:mechanic")
			w.Despite = c.despite
			out, err := d.pass(slices.Clone(c.settings), w)
			require.NoError(t, err)
			assert.Equal(t, c.joins, d.has("local:mechanic"))
			assert.Equal(t, c.joins, slices.Contains(kinds(out.Events), drift.WarrantJoined))
			assert.NotContains(t, kinds(out.Events), drift.MemberAdded)
			assert.Equal(t, c.joins, len(d.kept) == 1)

			d.at = now.Add(2 * time.Hour) // its end is the first moment without it
			job := job(slices.Clone(c.settings), nil)
			job.Now, job.Warrants, job.Granted = d.at, []protocol.Warrant{w}, d.kept
			out, err = d.pass(slices.Clone(c.settings), w)
			require.NoError(t, err)
			assert.False(t, d.has("local:mechanic"))
			assert.Equal(t, c.joins, slices.Contains(kinds(out.Events), drift.WarrantLeft))
			assert.NotContains(t, kinds(out.Events), drift.MemberRemoved)
			assert.Empty(t, out.Corrected(job), "an end is no deviation that was put right")
			assert.Empty(t, d.kept)
		})
	}
}

// A membership that was there before stays, and so does one that a policy asks for meanwhile; one that somebody took
// away is given again while the warrant runs, and one that is taken back goes.
func TestWhatIsNotTheWarrants(t *testing.T) {
	w := warrantFor("local:setup") // is a member already
	before := &device{t: t, w: workstation(t), at: now}
	_, err := before.pass(nil, w)
	require.NoError(t, err)
	assert.Empty(t, before.kept)
	before.at = now.Add(3 * time.Hour)
	_, err = before.pass(nil, w)
	require.NoError(t, err)
	assert.True(t, before.has("local:setup"))

	d := &device{t: t, w: workstation(t), at: now}
	w = warrantFor("local:mechanic")
	_, err = d.pass(nil, w)
	require.NoError(t, err)
	state, err := d.w.Read(t.Context())
	require.NoError(t, err)
	require.NoError(t, d.w.RemoveMember(t.Context(), drift.WellKnown(unit.GroupAdministrators),
		state.Find(principal.MustParse("local:mechanic"), nil, nil)))
	_, err = d.pass(nil, w)
	require.NoError(t, err)
	assert.True(t, d.has("local:mechanic"), "it is given again")
	_, err = d.pass(nil)
	require.NoError(t, err)
	assert.False(t, d.has("local:mechanic"), "it was taken back")

	_, err = d.pass(nil, w)
	require.NoError(t, err)
	d.at = now.Add(3 * time.Hour)
	_, err = d.pass([]unit.Setting{only("local:keeper", "local:mechanic")}, w)
	require.NoError(t, err)
	assert.True(t, d.has("local:mechanic"), "a policy asks for it meanwhile")
	assert.Empty(t, d.kept)
	_, err = d.pass(nil, w)
	require.NoError(t, err)
	assert.True(t, d.has("local:mechanic"), "and it is the policy's from then on")
}

// A longer warrant takes the place of a shorter one, and what could not be kept is not given.
func TestAWarrantThatIsLonger(t *testing.T) {
	d := &device{t: t, w: workstation(t), at: now}
	w, longer := warrantFor("local:mechanic"), warrantFor("local:mechanic")
	longer.ID, longer.Until, longer.EndSessions = "W2", now.Add(4*time.Hour), true
	_, err := d.pass(nil, w)
	require.NoError(t, err)
	_, err = d.pass(nil, w, longer)
	require.NoError(t, err)
	assert.Equal(t, "W2", d.kept[0].Warrant)
	d.at = now.Add(3 * time.Hour)
	_, err = d.pass(nil, w, longer)
	require.NoError(t, err)
	assert.True(t, d.has("local:mechanic"))
	m := d.w.Machine()
	m.Sessions = append(m.Sessions, d.w.Find("mechanic"))
	d.w = simulated.Boot(m, func() time.Time { return d.at })
	d.at = now.Add(4 * time.Hour)
	_, err = d.pass(nil, w, longer)
	require.NoError(t, err)
	assert.False(t, d.has("local:mechanic"))
	assert.Empty(t, d.w.Machine().Sessions, "its sessions are ended")

	d = &device{t: t, w: workstation(t), at: now}
	j := job(nil, nil)
	j.Now, j.Warrants = now, []protocol.Warrant{w}
	j.Keep = func([]journal.Granted) error { return errors.New("the disk is full") }
	out, err := reconcile.Run(t.Context(), d.w, j)
	require.NoError(t, err)
	assert.False(t, d.has("local:mechanic"))
	require.Len(t, out.Failures, 1)
	assert.Contains(t, out.Failures[0].Error, "the disk is full")
}

// The power goes at every step, before and at the end: at the end nobody is left who was not there before.
func TestAWarrantOutlivesNoPowerCut(t *testing.T) {
	for begin := range 3 {
		for end := range 3 {
			d := &device{t: t, w: workstation(t), at: now}
			w := warrantFor("local:mechanic")
			w.EndSessions = true
			d.w.CutAfter(begin)
			_, err := d.pass(nil, w)
			if err != nil {
				d.w = simulated.Boot(d.w.Machine(), func() time.Time { return d.at })
				_, err = d.pass(nil, w)
			}
			require.NoError(t, err)
			assert.True(t, d.has("local:mechanic"))
			d.at = now.Add(2 * time.Hour)
			d.w.CutAfter(end)
			if _, err = d.pass(nil); err != nil {
				d.w = simulated.Boot(d.w.Machine(), func() time.Time { return d.at })
				_, err = d.pass(nil)
			}
			require.NoError(t, err)
			assert.False(t, d.has("local:mechanic"), "cut after %d and %d changes", begin, end)
			assert.Empty(t, d.kept)
		}
	}
}
