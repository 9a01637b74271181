package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/internal/agent/host/simulated"
)

// A device on which something failed has reported back, and nothing says of it that it is verified.
func TestReportedBackIsNotVerified(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	fine := s.enrolled("SKL-WKS-002")
	d.SetFaults(simulated.Faults{DenyLockout: true})
	s.publish("locks", "lockout: {threshold: 5, duration: 15m, window: 15m}", 400, "everything")
	s.settled()
	s.cycle(d, "SKL-WKS-001")
	s.cycle(fine, "SKL-WKS-002")

	w := s.why("SKL-WKS-001").Device
	assert.Equal(t, "drifted", w.Standing)
	assert.Nil(t, w.VerifiedAt)
	assert.Equal(t, w.Desired, w.Reported, "it has reported back")
	assert.NotNil(t, s.why("SKL-WKS-002").Device.VerifiedAt)
	latest := s.events(client.EventQuery{Device: "SKL-WKS-001"})[0]
	assert.Equal(t, "applied_in_part", latest.Kind)
	assert.Equal(t, "desired state 2 was read back, but 1 setting could not be changed", latest.Words)

	o, err := s.owner.Overview(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []int{2, 2, 1}, []int{o.Online, o.OnlineReported, o.OnlineVerified})
	assert.True(t, o.AllReported())
}

// told are the open findings of a device, in words.
func (s *service) told(name string) (words []string) {
	for _, f := range s.why(name).Events {
		if f.State == "open" {
			words = append(words, f.Words)
		}
	}
	return words
}

// When the last assignment that manages an account is taken away, the account stays as it is, and that is said: it
// makes its device drifted while it is an administrator that can sign in.
func TestAccountsThatNobodyManagesAreTold(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.publish("moorings", mooringOnly, 400, "everything")
	d := s.enrolled("SKL-WKS-001")
	require.Equal(t, "in_step", standing(s, "SKL-WKS-001"))

	a, err := s.owner.Assignment(t.Context(), "moorings")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(t.Context(), "moorings", a.Version))
	s.settled()
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "drifted", standing(s, "SKL-WKS-001"))
	assert.Equal(t, []string{
		"no policy manages the account mooring any more; it is enabled, in a privileged local group, and nobody " +
			"changes its password",
	}, s.told("SKL-WKS-001"))

	require.NoError(t, d.EnableAccount(t.Context(), d.Find("mooring"), false))
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"), "it cannot sign in")
	require.Len(t, s.told("SKL-WKS-001"), 1)
	assert.Contains(t, s.told("SKL-WKS-001")[0], "it is disabled")

	s.publish("moorings-again", mooringOnly, 400, "everything")
	s.settled()
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"))
	assert.Empty(t, s.told("SKL-WKS-001"), "it is managed again")
}
