package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/core/gate"
)

// Where a second person must approve new administrators, no other name for a group that takes a device over is a way
// round: names of known groups are refused in every language, and groups of one's own are judged by what they are.
func TestNoOtherNameMakesAnAdministratorAlone(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Approvals = gate.Approvals{AddedAdministrators: true}
	s.run()
	ctx := t.Context()
	s.enrolled("SKL-WKS-001")
	alone := s.as("runa", "author")
	statement := func(name, group string) string {
		return document(name, fmt.Sprintf(
			"membership: [{local_group: %q, custom: true, mode: adjust, members: ['local:crew']}]", group))
	}
	for i, group := range []string{"Administratoren", "ADMINISTRATEURS", "sudo", "S-1-5-32-544", "S-1-5-32-551",
		"Hyper-V Administrators", "Администраторы"} {
		name := fmt.Sprintf("named-%d", i)
		_, err := alone.CreateChange(ctx, name, "", "")
		require.NoError(t, err)
		_, err = alone.AddEdit(ctx, name, api.ChangeEdit{Kind: "publish", Name: name, Document: statement(name, group)})
		problem(t, err, http.StatusUnprocessableEntity, "cannot be used")
		_, err = s.owner.CreatePolicy(ctx, statement(name, group))
		problem(t, err, http.StatusUnprocessableEntity, "cannot be used")
	}
	for i, group := range []string{"docker", "Docker", "wheel", "lxd", "disk", "shadow", "harbour-crew"} {
		name := fmt.Sprintf("own-%d", i)
		_, err := s.owner.CreateChange(ctx, name, "", "")
		require.NoError(t, err)
		_, err = s.owner.AddEdit(ctx, name, api.ChangeEdit{Kind: "publish", Name: name,
			Document: statement(name, group)})
		require.NoError(t, err)
		_, err = s.owner.AddEdit(ctx, name, aimAt(name, 100+i, 0, "everything"))
		require.NoError(t, err)
		p, err := s.owner.PreviewChange(ctx, name)
		require.NoError(t, err)
		applied, err := s.owner.ApplyChange(ctx, name, p.Digest)
		require.NoError(t, err)
		if group == "harbour-crew" {
			assert.Equal(t, "done", applied.State, "nobody becomes administrator by it")
			continue
		}
		assert.Equal(t, "waiting", applied.State, group)
		require.Len(t, applied.Needs, 1, group)
		assert.Contains(t, applied.Needs[0], "it adds to ", group)
		assert.Contains(t, applied.Needs[0], "local:crew", group)
	}
}
