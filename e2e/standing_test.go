package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/core/drift"
)

// A device's standing is the core's wherever it is shown, whatever is stored of it.
func TestStandingsAreTheCores(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	s.enrolled("SKL-TKT-001")
	// the device's contact does not wait to be written, which would make what is stored below newer
	s.restart()
	s.clock.forward(time.Hour) // nobody is silent because of a time in which the service was not there
	seen := map[drift.Standing]bool{}
	for i := range 32 {
		bit := func(n int) int { return i >> n & 1 }
		now := s.clock.now()
		h := drift.StandingInput{
			HeldUnits:    bit(0),
			LastContact:  now.Add(-time.Duration(1+9*bit(1)) * time.Minute),
			OpenFindings: bit(2),
			Desired: drift.Stamp{
				Epoch:  int64(1 + bit(3)),
				Number: int64(3 - bit(4)),
			},
			Reported: drift.Stamp{Epoch: 1, Number: 2},
		}
		require.NoError(t, change(t, s.config.Database, fmt.Sprintf(
			`update devices set held_units = %d, last_contact = '%s', open_findings = %d, desired_epoch = %d,
				desired_number =
					%d, reported_epoch = 1, reported_number = 2;
			notify rankwarden, '{"topic": "devices"}'`,
			h.HeldUnits,
			h.LastContact.UTC().Format(time.RFC3339Nano),
			h.OpenFindings,
			h.Desired.Epoch,
			h.Desired.Number,
		)))
		want := drift.Stand(h, now, s.config.Interval)
		s.Changed(t.Context())
		list, err := s.owner.Devices(t.Context(), client.DeviceQuery{}, client.Page{})
		require.NoError(t, err)
		require.Len(t, list.Items, 1)
		passwords, err := s.owner.Passwords(t.Context(), client.PasswordQuery{}, client.Page{})
		require.NoError(t, err)
		require.Len(t, passwords.Items, 1)
		narrowed, err := s.owner.Devices(t.Context(), client.DeviceQuery{Standing: string(want)}, client.Page{})
		require.NoError(t, err)
		if bit(1) == 0 { // what was heard of a device is never forgotten while the service runs
			assert.Len(t, narrowed.Items, 1, "it is found by its standing")
		}
		d, err := s.Reporting.Device(t.Context(), everywhere, "SKL-TKT-001")
		require.NoError(t, err)
		assert.Equal(
			t,
			[]string{string(want), string(want), string(want)},
			[]string{string(d.Standing), list.Items[0].Standing, passwords.Items[0].Standing},
			"%+v",
			h,
		)
		seen[want] = true
	}
	assert.Len(t, seen, 5, "each of them came up")
}
