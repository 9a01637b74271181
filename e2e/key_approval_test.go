package e2e

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/wire/escrow"
)

// answers opens the challenge of a key with a file of private keys.
func (s *service) answers(c *client.Client, number int64, path string) string {
	document, err := c.ChallengeEscrowKey(s.t.Context(), number)
	require.NoError(s.t, err)
	var challenge escrow.Challenge
	require.NoError(s.t, json.Unmarshal(document, &challenge))
	ring, err := escrow.ReadRing(path)
	require.NoError(s.t, err)
	answer, err := challenge.Answer(ring)
	require.NoError(s.t, err)
	return answer
}

// makes creates a key on somebody's own machine, and enters its public half.
func (s *service) makes(c *client.Client, number int64, use, path string) {
	private, err := escrow.NewPrivate()
	require.NoError(s.t, err)
	ring, err := escrow.ReadRing(path)
	require.NoError(s.t, err)
	ring.Keys = append(ring.Keys, escrow.RingKey{Number: number, Use: use, MadeAt: s.clock.now().
		UTC(), Private: private})
	require.NoError(s.t, ring.Write(path))
	require.NoError(s.t, c.CreateEscrowKey(s.t.Context(),
		api.NewEscrowKey{Number: number, Use: use, Public: private.Public()}))
}

func (s *service) key(number int64) api.EscrowKey {
	keys, err := s.owner.EscrowKeys(s.t.Context())
	require.NoError(s.t, err)
	for _, k := range keys {
		if k.Number == number {
			return k
		}
	}
	s.t.Fatalf("no key %d", number)
	return api.EscrowKey{}
}

// Where there is a second owner, no key goes live or retires by one alone, whatever the settings say. A sealed owner is
// no second one.
func TestTwoOwnersDecideKeysTogether(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	offline := filepath.Join(t.TempDir(), "recovery.json")
	require.NoError(t, s.Access.SealOwner(ctx, uow.Console("test"), "sealed", ownerPassword+" for the day"))
	s.makes(s.owner, 2, "recovery", offline)
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 2, s.answers(s.owner, 2, offline)))
	assert.Equal(t, "live", s.key(2).State, "nobody else could decide")

	other := s.as("bera", "owner")
	s.makes(s.owner, 3, "recovery", offline)
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 3, s.answers(s.owner, 3, offline)))
	assert.Equal(t, []string{"new", "live", "asta"}, []string{s.key(3).State, s.key(3).Asked, s.key(3).AskedBy})
	problem(t, s.owner.DecideEscrowKey(ctx, 3, true), http.StatusForbidden, "another owner must decide")
	require.NoError(t, other.DecideEscrowKey(ctx, 3, true))
	assert.Equal(t, "live", s.key(3).State)
	require.NoError(t, s.owner.RetireEscrowKey(ctx, 2))
	assert.Equal(t, []string{"live", "retired"}, []string{s.key(2).State, s.key(2).Asked})
}

// Keys are made, proved, retired and sealed again over the network; where the settings say so a second owner decides,
// who neither asked for it nor made the key.
func TestKeysWithASecondPerson(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.config.SecondPersonKeys = true
	s.restart()
	other := s.as("bera", "owner")
	s.publish("base", mooringOnly, 500, "everything")
	s.enrolled("SKL-HQ-001")
	secret := s.current("SKL-HQ-001")
	missing, err := s.owner.UnrecoveredPasswords(ctx, client.Page{})
	require.NoError(t, err)
	require.Len(t, missing.Items, 1, "no recovery key is live yet")
	assert.Equal(t, "SKL-HQ-001", missing.Items[0].Device)

	offline := filepath.Join(t.TempDir(), "recovery.json")
	s.makes(s.owner, 2, "recovery", offline)
	problem(t, s.owner.CreateEscrowKey(ctx, api.NewEscrowKey{Number: 2, Use: "recovery", Public: []byte("x")}),
		http.StatusUnprocessableEntity, "no public key")
	problem(t, s.owner.ProveEscrowKey(ctx, 2, "a guess"), http.StatusConflict, "waits for no proof")
	answer := s.answers(s.owner, 2, offline)
	problem(t, s.owner.ProveEscrowKey(ctx, 2, "a guess"), http.StatusUnprocessableEntity, "not the answer")
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 2, answer))
	assert.Equal(t, []string{"new", "live", "asta"}, []string{s.key(2).State, s.key(2).Asked, s.key(2).AskedBy})
	problem(t, s.owner.DecideEscrowKey(ctx, 2, true), http.StatusForbidden, "another owner must decide")
	problem(t, s.owner.ProveEscrowKey(ctx, 2, answer), http.StatusConflict, "waits for no proof")
	require.NoError(t, other.DecideEscrowKey(ctx, 2, true))
	assert.Equal(t, "live", s.key(2).State)
	problem(t, other.DecideEscrowKey(ctx, 2, true), http.StatusConflict, "nothing of escrow key 2 waits")

	// A maker has somebody else prove it: still a third person decides, or nobody.
	s.makes(other, 3, "escrow", s.config.EscrowKeys)
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 3, s.answers(s.owner, 3, s.config.EscrowKeys)))
	problem(t, other.DecideEscrowKey(ctx, 3, true), http.StatusForbidden, "another owner must decide")
	third := s.as("dagny", "owner")
	require.NoError(t, third.DecideEscrowKey(ctx, 3, false))
	assert.Equal(t, []string{"new", ""}, []string{s.key(3).State, s.key(3).Asked})
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 3, s.answers(s.owner, 3, s.config.EscrowKeys)))
	require.NoError(t, third.DecideEscrowKey(ctx, 3, true))

	// A key that the service does not have never goes live for it.
	s.makes(s.owner, 4, "escrow", filepath.Join(t.TempDir(), "elsewhere.json"))
	elsewhere := s.config.EscrowKeys + ".4"
	s.makes(s.owner, 5, "escrow", elsewhere)
	require.NoError(t, s.owner.ProveEscrowKey(ctx, 5, s.answers(s.owner, 5, elsewhere)))
	problem(t, third.DecideEscrowKey(ctx, 5, true), http.StatusConflict, "does not have the private half")
	require.NoError(t, os.Remove(elsewhere))

	// Retire, and seal again.
	problem(t, s.owner.ResealEscrowKey(ctx, 1), http.StatusConflict, "retire it first")
	require.NoError(t, s.owner.RetireEscrowKey(ctx, 1))
	assert.Equal(t, []string{"live", "retired"}, []string{s.key(1).State, s.key(1).Asked})
	require.NoError(t, third.DecideEscrowKey(ctx, 1, true))
	require.NoError(t, s.owner.ResealEscrowKey(ctx, 1))
	problem(t, s.owner.ResealEscrowKey(ctx, 1), http.StatusConflict, "already")
	s.eventually(func() bool { return s.key(1).Reseal.By == "" }, "sealed again")
	assert.Equal(t, 0, s.key(1).Deposits)
	assert.Equal(t, 1, s.key(3).Deposits)
	assert.Equal(t, api.KeyReseal{Total: 1, Done: 1}, s.key(1).Reseal)
	assert.Equal(t, secret, s.current("SKL-HQ-001"))
	problem(t, s.owner.RetireEscrowKey(ctx, 3), http.StatusConflict, "the only live one")

	entries, err := s.owner.Trail(ctx, client.TrailQuery{Action: "keys"}, client.Page{Limit: 100})
	require.NoError(t, err)
	said := map[string]int{}
	for _, e := range entries.Items {
		said[e.Action+" "+e.Outcome]++
	}
	assert.Equal(t, 2, said["keys.decided refused"]+said["keys.approved refused"])
	assert.Equal(t, 1, said["keys.reseal_begun done"])
	assert.Equal(t, 1, said["keys.resealed done"])
}
