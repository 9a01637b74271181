package e2e

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
	"rankwarden.example/internal/wire/protocol"
)

func (s *service) events(q client.EventQuery) []api.Event {
	items, err := client.All(
		0,
		func(p client.Page) (client.List[api.Event], error) { return s.owner.Events(s.t.Context(), q, p) },
	)
	require.NoError(s.t, err)
	return items
}

// What a device does is told once, in order, and stays told while the service is out of reach.
func TestDeviceEvents(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	s.enrolled("SKL-WKS-002")
	of := client.EventQuery{Device: "skl-wks-001"}
	require.NotEmpty(t, s.events(of))
	assert.Equal(t, "desired state 1 was carried out and read back", s.events(of)[0].Words)

	d.AddAccount("mechanic")
	require.NoError(t, d.Join("administrators", "mechanic"))
	s.stop()
	require.Error(t, d.Cycle(t.Context()), "the service is out of reach")
	assert.False(t, inAdministrators(t, d, "mechanic"), "the device needs nobody to put it right")
	s.run()
	s.wake(d, "")
	require.NoError(t, d.Cycle(t.Context()))
	latest := s.events(of)[0]
	assert.Equal(
		t,
		[]string{
			"member_removed",
			"membership.administrators",
			"local:mechanic",
			"mechanic was removed from administrators, by base revision 1",
		},
		[]string{latest.Kind, latest.Unit, latest.Subject, latest.Words},
	)
	assert.WithinDuration(t, s.clock.now(), latest.At, time.Minute)
	count := len(s.events(of))
	require.NoError(t, d.Cycle(t.Context()))
	assert.Len(t, s.events(of), count, "nothing is told twice")

	// The guard's refusal is told once, however often it is met.
	for range 10 {
		require.Error(t, d.SignIn("mooring", "wrong"))
	}
	require.NoError(t, d.Join("administrators", "mechanic"))
	for range 3 {
		require.NoError(t, d.Cycle(t.Context()))
	}
	refused := s.events(client.EventQuery{Kind: "guard_refused"})
	require.Len(t, refused, 1)
	assert.Equal(t, "SKL-WKS-001", refused[0].Device)
	assert.Contains(t, refused[0].Words, "no usable administrator would be left")

	assert.Greater(t, len(s.events(client.EventQuery{})), len(s.events(of)), "those of the other device too")
	_, err := s.owner.Events(t.Context(), client.EventQuery{Group: "nobody"}, client.Page{})
	problem(t, err, 422, `there is no group "nobody"`)
	_, err = s.owner.Events(t.Context(), client.EventQuery{Kind: "guard_refusd"}, client.Page{})
	problem(t, err, 422, `did you mean "guard_refused"?`)
	assert.NotEmpty(t, s.why("SKL-WKS-001").Happened)
	_, err = s.owner.Events(t.Context(), client.EventQuery{Device: "SKL-XXX-001"}, client.Page{})
	problem(t, err, 404, "SKL-XXX-001")
}

func inAdministrators(t *testing.T, d *device, name string) bool {
	state, err := d.Read(t.Context())
	require.NoError(t, err)
	group, _ := state.Group("administrators")
	return group.Has(d.Find(name))
}

// Events that no honest device would send are refused, and nothing of them is stored.
func TestEventsAreChecked(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	s.enrolled("SKL-WKS-001")
	id, before := s.why("SKL-WKS-001").Device.ID, len(s.events(client.EventQuery{}))
	good := drift.Event{Seq: 1000, At: s.clock.now(), Kind: drift.MemberAdded}
	for says, spoil := range map[string]func(e *drift.Event){
		"there is no event":  func(e *drift.Event) { e.Kind = "password_shown" },
		"says no time":       func(e *drift.Event) { e.At = time.Time{} },
		"more than":          func(e *drift.Event) { e.Error = string(make([]byte, 5000)) },
		"must come in order": func(e *drift.Event) { e.Seq = 0 },
	} {
		bad := good
		spoil(&bad)
		_, err := s.Devices.TakeEvents(t.Context(), id, 1, []drift.Event{bad})
		assert.ErrorContains(t, err, says)
	}
	_, err := s.Devices.TakeEvents(t.Context(), id, 1, make([]drift.Event, protocol.MaxEvents+1))
	assert.ErrorContains(t, err, "too many")
	for range 2 {
		last, err := s.Devices.TakeEvents(t.Context(), id, 1, []drift.Event{good})
		require.NoError(t, err)
		assert.EqualValues(t, 1000, last)
	}
	assert.Len(t, s.events(client.EventQuery{}), before+1, "a repeat changes nothing")
}
