package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

// A first policy is drafted from what devices have, into a change; it says who would leave, and alters nothing on the
// devices that have the common values.
func TestAFirstPolicyFromAGroup(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	var devices []*device
	for _, name := range []string{"SKL-WKS-001", "SKL-WKS-002", "SKL-WKS-003"} {
		d := s.enrolled(name)
		devices = append(devices, d)
	}
	devices[1].AddAccount("eilif")
	require.NoError(t, devices[1].Join("administrators", "eilif"))
	s.cycle(devices[1], "SKL-WKS-002")

	draft, err := s.owner.DraftPolicy(ctx, api.DraftRequest{Group: "everything", Name: "first", Tolerance: new(40)})
	require.NoError(t, err)
	assert.Equal(t, 3, draft.Devices)
	require.Len(t, draft.NotKept, 1)
	assert.Equal(t, "local:eilif", draft.NotKept[0].Member)
	_, err = s.owner.DraftPolicy(ctx, api.DraftRequest{Group: "nowhere", Name: "first"})
	problem(t, err, 422, "nowhere")

	out := s.rankwarden("draft-from", "--group", "everything", "--tolerance", "40%", "--name", "first")
	assert.Contains(t, out, "local:eilif, on 1 device")

	p, err := s.owner.PreviewChange(ctx, "first")
	require.NoError(t, err)
	var access []string
	for _, e := range p.Sums {
		if strings.HasPrefix(e.Effect, "member_") {
			access = append(access, e.Effect+" "+e.Subject)
		}
	}
	assert.Equal(t, []string{"member_leaves local:eilif"}, access, "nobody else gains or loses anything")
	_, err = s.owner.ApplyChange(ctx, "first", p.Digest)
	require.NoError(t, err)
	before := stateOf(t, devices[0])
	s.cycle(devices[0], "SKL-WKS-001")
	assert.Equal(t, "in_step", s.why("SKL-WKS-001").Device.Standing)
	after := stateOf(t, devices[0])
	assert.Equal(t, before.LocalGroups, after.LocalGroups)
	assert.Equal(t, before.Passwords, after.Passwords)
	assert.Equal(t, before.Lockout, after.Lockout)
}
