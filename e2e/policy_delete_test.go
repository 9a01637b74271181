package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/core/edit"
)

// A policy goes once nothing uses it: no assignment, and no open change.
func TestAPolicyIsDeleted(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	p, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	err = s.owner.DeletePolicy(ctx, "base", p.Version)
	problem(t, err, 409, "in use by assignment base")

	a, err := s.owner.Assignment(ctx, "base")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(ctx, "base", a.Version))
	_, err = s.owner.CreateChange(ctx, "again", "", "")
	require.NoError(t, err)
	_, err = s.owner.AddEdit(ctx, "again", edit.Edit{Kind: edit.Assign, Name: "again", Assignment: &edit.Aim{
		Policy: "base", Include: []string{"everything"}, Rank: 400}})
	require.NoError(t, err)
	problem(t, s.owner.DeletePolicy(ctx, "base", p.Version), 409, "in use by change again")
	_, err = s.owner.DropChange(ctx, "again", "not wanted")
	require.NoError(t, err)
	problem(t, s.owner.DeletePolicy(ctx, "base", p.Version+1), 412, "")
	deployer := s.as("dag", "author")
	problem(t, deployer.DeletePolicy(ctx, "base", p.Version), 403, "")
	assert.Contains(t, s.rankwarden("policy", "delete", "base"), "Deleted the policy base")
	_, err = s.owner.Policy(ctx, "base")
	problem(t, err, 404, "base")
	s.publish("base", "passwords: {min_length: 9}", 500, "everything")
}

// The directory is searched by identifiers, too, with their prefix or without.
func TestTheDirectoryIsSearchedByIdentifier(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.ImportDirectory(ctx, []byte(demoDirectory(t)), false, false)
	require.NoError(t, err)
	found, err := s.owner.Directory(ctx, "fleet support", "", client.Page{})
	require.NoError(t, err)
	require.NotEmpty(t, found.Items)
	group := found.Items[0]
	for _, search := range []string{group.SID, "sid:" + group.SID, group.GUID, "guid:" + group.GUID} {
		by, err := s.owner.Directory(ctx, search, "", client.Page{})
		require.NoError(t, err)
		require.Len(t, by.Items, 1, search)
		assert.Equal(t, group.Ref, by.Items[0].Ref)
	}
}
