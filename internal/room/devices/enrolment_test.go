package devices_test

import (
	"crypto/ed25519"
	"crypto/rand"
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
	"rankwarden.example/internal/wire/protocol"
)

// keys are the service's keys as far as enrolment needs them.
type keys struct{}

func (keys) Signing() protocol.Key { return protocol.Key{} }
func (keys) Root() string          { return "root" }
func (keys) Epoch() int64          { return 3 }

// door is the room over a real database; its clock can be set forward.
type door struct {
	*devices.Service
	t   *testing.T
	now time.Time
}

var owner = rights.Identity{OperatorID: "1", Name: "asta", Grants: []rights.Grant{{Role: rights.Owner}}}

func openDoor(t *testing.T) *door {
	db, _ := storetest.Open(t)
	d := &door{t: t, now: time.Now()}
	env := uow.Env{Log: slog.New(slog.DiscardHandler), Now: func() time.Time { return d.now }, Interval: time.Minute}
	d.Service = &devices.Service{
		Room: uow.NewRoom(store.For(db, func(r store.Reader) devices.Reads { return r },
			func(w store.Writer) devices.Records { return w }), env),
		Locks: db, Keys: keys{}, Scopes: &cache.Scopes{},
		Strangers: uowtest.Strangers(db),
	}
	return d
}

// token is a token for so many devices.
func (d *door) token(uses int) (store.EnrolmentToken, protocol.Token) {
	e, token, err := d.NewEnrolmentToken(d.t.Context(), owner, "desks", uses, time.Hour, devices.Grants{})
	require.NoError(d.t, err)
	return e, token
}

func newKey(t *testing.T) ed25519.PublicKey {
	public, _, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	return public
}

// enrol gives the state of the device, or the code of the refusal.
func (d *door) enrol(token protocol.Token, key ed25519.PublicKey, facts protocol.Facts) string {
	made, err := d.Enrol(d.t.Context(), protocol.EnrolRequest{TokenID: token.ID, Secret: token.Secret, Facts: facts},
		key,
		"192.0.2.9")
	var refused *refusal.Error
	if errors.As(err, &refused) {
		return refused.Code
	}
	require.NoError(d.t, err)
	return made.State
}

var desk = protocol.Facts{Name: "SKL-TKT-001", Platform: "windows", OSVersion: "10", Serial: "SL-1"}

func TestATokenOpensTheDoor(t *testing.T) {
	d := openDoor(t)
	made, token := d.token(2)
	key := newKey(t)
	assert.Equal(t, store.Live, d.enrol(token, key, desk))
	assert.Equal(t, store.Live, d.enrol(token, key, desk), "the same key has the same place, and uses up nothing")
	wrong := token
	wrong.Secret = "another"
	assert.Equal(t, protocol.CodeTokenUnknown, d.enrol(wrong, newKey(t), desk))

	other := desk
	other.Name = "SKL-TKT-002"
	assert.Equal(t, store.Live, d.enrol(token, newKey(t), other))
	other.Name = "SKL-TKT-003"
	assert.Equal(t, protocol.CodeTokenUsedUp, d.enrol(token, newKey(t), other))

	revoked, token := d.token(5)
	require.NoError(t, d.RevokeEnrolmentToken(t.Context(), owner, revoked.ID))
	assert.Equal(t, protocol.CodeTokenRevoked, d.enrol(token, newKey(t), other))
	_, token = d.token(5)
	d.now = d.now.Add(2 * time.Hour)
	assert.Equal(t, protocol.CodeTokenExpired, d.enrol(token, newKey(t), other))
	assert.NotEmpty(t, made.ID)
}

// A device that says nothing useful of itself has no place, and one that has the name of another waits for an owner.
func TestWhoIsLetIn(t *testing.T) {
	d := openDoor(t)
	_, token := d.token(9)
	for _, alter := range []func(f *protocol.Facts){
		func(f *protocol.Facts) { f.Platform = "" },
		func(f *protocol.Facts) { f.Name = "" },
		func(f *protocol.Facts) { f.Name = "bad\u202ename" },
		func(f *protocol.Facts) { f.Serial = string(make([]byte, 4000)) },
	} {
		facts := desk
		alter(&facts)
		assert.Equal(t, protocol.CodeBadFacts, d.enrol(token, newKey(t), facts))
	}
	assert.Equal(t, store.Live, d.enrol(token, newKey(t), desk))
	again := desk
	again.Name = "skl-tkt-001"
	assert.Equal(t, store.Claiming, d.enrol(token, newKey(t), again))
}
