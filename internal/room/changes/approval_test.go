package changes_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// stored is the room with two devices and no policy that anybody has seen.
type stored struct {
	*fleet
	ctx context.Context
}

func onDatabase(t *testing.T, approvals gate.Approvals) *stored {
	return &stored{newFleet(t, 2, gate.Rules{Approvals: approvals}), t.Context()}
}

func (s *stored) digest(name string) string {
	p, err := s.PreviewChange(s.ctx, operator(nil, rights.Owner), name)
	require.NoError(s.t, err)
	return p.Digest
}

func (s *stored) apply(who rights.Identity, name, digest string) (changes.ChangeWithEdits, error) {
	return s.ApplyChange(s.ctx, who, name, changes.Asking{Seen: digest})
}

// drafted is a change with a policy that is aimed at everything.
func (s *stored) drafted(name string) {
	_, err := s.NewChange(s.ctx, author, name, "Longer passwords", "audit of May")
	require.NoError(s.t, err)
	s.edit(author, name, change.Edit{Kind: change.Publish, Name: "beacons",
		Document: "format: rankwarden.policy/1\nname: beacons\npasswords: {min_length: 12}\n"})
	s.edit(author, name, change.Edit{Kind: change.Assign, Name: "beacons", Assignment: &change.Aim{
		Policy: "beacons", Include: []string{assign.Everything}, Rank: 10}})
}

func (s *stored) edit(who rights.Identity, name string, e change.Edit) {
	_, _, err := s.PutEdit(s.ctx, who, name, e, nil)
	require.NoError(s.t, err)
}

func (s *stored) state(name string) store.ChangeState {
	c, err := s.Change(s.ctx, name)
	require.NoError(s.t, err)
	return c.State
}

func TestASecondPersonApprovesWhatTheySaw(t *testing.T) {
	s := onDatabase(t, gate.Approvals{Everything: true})
	s.drafted("longer")
	c, err := s.apply(author, "longer", s.digest("longer"))
	require.NoError(t, err)
	assert.Equal(t, store.ChangeWaiting, c.State, "it is not applied, it waits")
	_, err = s.Policy(s.ctx, "beacons")
	assert.Equal(t, "", uowtest.Code(err), "and nothing of it is there")

	decide := func(who rights.Identity, approve bool, reason, digest string) string {
		_, err := s.DecideChange(s.ctx, who, "longer", approve, reason, digest)
		return uowtest.Code(err)
	}
	digest := s.digest("longer")
	assert.Equal(t, "own_change", decide(author, true, "", digest), "not by whoever asked")
	assert.Equal(t, "", decide(named("gast", rights.Viewer), true, "", digest), "nor without the right")
	assert.Equal(t, "preview_changed", decide(approver, true, "", "sha-256:another"), "nor of what they have not seen")
	assert.Equal(t, "preview_changed", decide(approver, true, "", ""), "nor unseen")
	assert.Equal(t, "", decide(approver, false, " ", digest), "a refusal needs a reason")
	assert.Equal(t, store.ChangeWaiting, s.state("longer"))
	assert.Equal(t, "done", decide(approver, true, "", digest))
	assert.Equal(t, store.ChangeApproved, s.state("longer"))
	assert.Equal(t, "nothing_to_approve", decide(approver, true, "", digest))

	c, err = s.apply(author, "longer", s.digest("longer"))
	require.NoError(t, err)
	assert.Equal(t, store.ChangeDone, c.State)
	p, err := s.Policy(s.ctx, "beacons")
	require.NoError(t, err)
	assert.Equal(t, 1, p.Revision)
}

// Whoever wrote a part of a change is no second person, and an edit takes back what was approved.
func TestAnEditTakesAnApprovalBack(t *testing.T) {
	s := onDatabase(t, gate.Approvals{Everything: true})
	s.drafted("longer")
	_, err := s.apply(author, "longer", s.digest("longer"))
	require.NoError(t, err)
	_, err = s.DecideChange(s.ctx, approver, "longer", true, "", s.digest("longer"))
	require.NoError(t, err)
	s.edit(second, "longer", change.Edit{Kind: change.Publish, Name: "beacons",
		Document: "format: rankwarden.policy/1\nname: beacons\npasswords: {min_length: 13}\n"})
	assert.Equal(t, store.ChangeDraft, s.state("longer"))
	_, err = s.apply(author, "longer", s.digest("longer"))
	require.NoError(t, err)
	assert.Equal(t, store.ChangeWaiting, s.state("longer"), "it is asked for again")
	_, err = s.DecideChange(s.ctx, second, "longer", true, "", s.digest("longer"))
	assert.Equal(t, "own_change", uowtest.Code(err), "a co-author is no second person")
}

func TestAnApprovalLapsesWhenTheNeedsGrow(t *testing.T) {
	s := onDatabase(t, gate.Approvals{AllAtOnce: true})
	s.drafted("longer")
	digest := s.digest("longer")
	c, err := s.apply(author, "longer", digest)
	require.NoError(t, err)
	assert.Equal(t, store.ChangeWaiting, c.State, "to all at once needs a second person")
	assert.Equal(t, []string{"it goes to all of its devices at once"}, []string(c.Needs))
	_, err = s.apply(author, "longer", digest)
	assert.Equal(t, "waits_for_approval", uowtest.Code(err))
	_, err = s.apply(author, "longer", "sha-256:before")
	assert.Equal(t, "preview_changed", uowtest.Code(err))
}

// What somebody else published meanwhile is not overwritten.
func TestAChangeOverWhatWasAltered(t *testing.T) {
	s := onDatabase(t, gate.Approvals{})
	s.drafted("first")
	_, err := s.apply(author, "first", s.digest("first"))
	require.NoError(t, err)
	_, err = s.NewChange(s.ctx, author, "next", "Longer still", "")
	require.NoError(t, err)
	p, err := s.Policy(s.ctx, "beacons")
	require.NoError(t, err)
	s.edit(author, "next", change.Edit{Kind: change.Publish, Name: "beacons", BasedOn: p.Version,
		Document: "format: rankwarden.policy/1\nname: beacons\npasswords: {min_length: 14}\n"})
	_, _, err = s.SavePolicy(s.ctx, second, "beacons",
		"format: rankwarden.policy/1\nname: beacons\npasswords: {min_length: 20}\n", p.Version)
	require.NoError(t, err)
	_, err = s.apply(author, "next", s.digest("next"))
	assert.Equal(t, "edit_conflict", uowtest.Code(err))
	empty, err := s.NewChange(s.ctx, author, "empty", "Nothing yet", "")
	require.NoError(t, err)
	_, err = s.apply(author, empty.Name, s.digest("empty"))
	assert.Equal(t, "nothing_to_apply", uowtest.Code(err))
}

// Whoever asks is no second person either, also where others wrote all of it.
func TestWhoeverAsksIsNoSecondPerson(t *testing.T) {
	s := onDatabase(t, gate.Approvals{Everything: true})
	s.drafted("longer")
	asker := named("arne", rights.Deployer)
	_, err := s.apply(asker, "longer", s.digest("longer"))
	require.NoError(t, err)
	_, err = s.DecideChange(s.ctx, asker, "longer", true, "", s.digest("longer"))
	assert.Equal(t, "own_change", uowtest.Code(err))
	_, err = s.DecideChange(s.ctx, approver, "longer", true, "", s.digest("longer"))
	assert.NoError(t, err)
}
