package reconcile_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/protocol"
)

// A known local group is not changed under the name that it has in the language of the device: whoever is put into it
// would become an administrator, and whoever agreed to the policy saw a group of another name.
func TestAKnownGroupIsNotChangedUnderAnotherName(t *testing.T) {
	m := simulated.Factory(protocol.Facts{Name: "SKL-WKS-001", Platform: "windows"}, principal.MustSID(domain), now)
	for i := range m.Groups {
		if m.Groups[i].SID == drift.WellKnown(unit.GroupAdministrators) {
			m.Groups[i].Name = "Verwalter"
		}
	}
	w := simulated.Boot(m, func() time.Time { return now })
	w.AddAccount("mechanic")
	before, err := w.Read(t.Context())
	require.NoError(t, err)
	group, there := before.Group("verwalter")
	require.True(t, there)
	for name, value := range map[string]unit.Members{
		"somebody is to join": {Present: []principal.Ref{principal.MustParse("local:mechanic")}},
		"an exact list":       {Closed: true, Present: []principal.Ref{principal.MustParse("local:mechanic")}},
		"somebody is to go":   {Absent: []principal.Ref{principal.Administrator}},
	} {
		t.Run(name, func(t *testing.T) {
			out, err := once(t, w, []unit.Setting{{Unit: unit.MembershipOf("verwalter"), Value: value}})
			require.NoError(t, err)
			read, err := w.Read(t.Context())
			require.NoError(t, err)
			after, there := read.Group(unit.GroupAdministrators)
			require.True(t, there)
			assert.Equal(t, group.Members, after.Members)
			require.Len(t, out.Failures, 1)
			assert.Contains(t, out.Failures[0].Error, "is the local group administrators of this device")
			assert.Empty(t, out.Events)
		})
	}
}
