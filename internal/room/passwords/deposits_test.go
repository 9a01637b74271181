package passwords_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

// depositing is the room over a real database with one device, and an escrow key that is live.
func depositing(t *testing.T) (give func(number int64, sealed string) string, device store.Device, db *store.Store) {
	db, _ = storetest.Open(t)
	device = storetest.Devices(t, db, time.Now(), "SKL-HQ-001")[0]
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		return tx.AddEscrowKey(store.EscrowKey{Number: 1, Use: protocol.UseEscrow, State: store.KeyLive,
			Public: []byte{1},
			MadeAt: time.Now(), MadeBy: "asta"})
	})
	root, err := protocol.NewKey()
	require.NoError(t, err)
	signing, err := protocol.NewKey()
	require.NoError(t, err)
	s, err := passwords.New(t.Context(), passwords.Options{
		Room: uowtest.Over(db, func(r store.Reader) passwords.Reads { return r },
			func(w store.Writer) passwords.Records { return w }),
		Keys: keyring.Ring{Root: root, Signing: signing}, Organisation: "Skerry Line", Scopes: &cache.Scopes{},
		OpenEscrow: func() (escrow.Opener, error) { return open{1: true}, nil }, Locks: db,
	})
	require.NoError(t, err)
	give = func(number int64, sealed string) string {
		_, err := s.TakeDeposit(context.WithoutCancel(t.Context()), device.ID, protocol.Deposit{
			Epoch: 1, Number: number, Target: principal.MustParse("account:keeper"), Reason: rotation.Age,
			Account: principal.MustSID("S-1-5-21-1-2-3-1000"), NameBefore: "keeper", NameAfter: "keeper",
			Sealed: []protocol.SealedCopy{{Key: 1, Bytes: []byte(sealed)}},
		})
		if refused, is := err.(*refusal.Error); is {
			return refused.Code
		}
		require.NoError(t, err)
		return "taken"
	}
	return give, device, db
}

// The number of a deposit is that of one password: the same again is a repeat, another under it is refused.
func TestADepositIsTakenOnce(t *testing.T) {
	give, device, db := depositing(t)
	assert.Equal(t, "taken", give(1, "first"))
	assert.Equal(t, "taken", give(1, "first"), "a repeat")
	assert.Equal(t, protocol.CodeSequenceBehind, give(1, "another"))
	assert.Equal(t, "taken", give(2, "second"))
	assert.Equal(t, protocol.CodeBadDeposit, give(3, ""))
	list, err := db.DepositsOf(device.ID, "account:keeper")
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "second", string(list[0].Sealed))
	assert.Equal(t, "first", string(list[1].Sealed))
}

func TestOnlyALiveDeviceGivesPasswords(t *testing.T) {
	give, device, db := depositing(t)
	storetest.Write(t, db, func(tx store.DoorWriter) error { return tx.SetDeviceState(device.ID, store.Retired) })
	assert.Equal(t, protocol.CodeNotLive+store.Retired, give(1, "first"))
	list, err := db.DepositsOf(device.ID, "account:keeper")
	require.NoError(t, err)
	assert.Empty(t, list)
}
