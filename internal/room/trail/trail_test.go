package trail_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/room/trail"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/keyring"
)

// kept is the room over a real database whose trail has some entries.
type kept struct {
	*trail.Service
	t   *testing.T
	url string
	db  *store.Store
	ctx context.Context
}

var auditor = rights.Identity{OperatorID: "1", Name: "einar", Grants: []rights.Grant{{Role: rights.Auditor}}}

func open(t *testing.T, entries int) *kept {
	db, url := storetest.Open(t)
	keys, err := keyring.Create(filepath.Join(t.TempDir(), "keys.json"))
	require.NoError(t, err)
	list, err := keys.SignList("Skerry Line", 1, 1, nil, time.Now())
	require.NoError(t, err)
	k := &kept{t: t, url: url, db: db, ctx: t.Context()}
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		state, err := tx.LockServiceState("Skerry Line")
		if err != nil {
			return err
		}
		state.KeyList, state.RootFingerprint = list, keys.Root.ID
		return tx.SetServiceState(state)
	})
	k.add(entries)
	k.Service = &trail.Service{
		Room: uowtest.Over(db, func(r store.Reader) trail.Reads { return r },
			func(w store.Writer) trail.Records { return w }),
		Key: keys.Signing, Root: keys.Root.ID, Organisation: "Skerry Line",
		File: filepath.Join(t.TempDir(), "checkpoints.jsonl"),
	}
	return k
}

func (k *kept) add(entries int) {
	storetest.Write(k.t, k.db, func(tx store.DoorWriter) error {
		for i := range entries {
			e := audit.Entry{At: time.Now(), Actor: "asta", Action: "policy.saved", Object: fmt.Sprint("lamps", i),
				Outcome: audit.Done}
			if err := tx.AppendAudit(e); err != nil {
				return err
			}
		}
		return nil
	})
}

// rewrite does what only whoever owns the database can.
func (k *kept) rewrite(statement string) {
	conn, err := pgx.Connect(k.ctx, k.url)
	require.NoError(k.t, err)
	defer conn.Close(k.ctx)
	_, err = conn.Exec(k.ctx, "set session_replication_role = replica")
	require.NoError(k.t, err)
	_, err = conn.Exec(k.ctx, statement)
	require.NoError(k.t, err)
}

func (k *kept) checkpoints() []store.Checkpoint {
	list, _, err := k.Checkpoints(k.ctx, store.Page{})
	require.NoError(k.t, err)
	return list
}

// A checkpoint says how far the trail went, leaves the database, and continues the one before.
func TestCheckpoints(t *testing.T) {
	k := open(t, 3)
	require.NoError(t, k.AnchorHourly(k.ctx))
	list := k.checkpoints()
	require.Len(t, list, 1)
	assert.EqualValues(t, 3, list[0].Seq)
	require.NoError(t, k.AnchorHourly(k.ctx))
	assert.Len(t, k.checkpoints(), 1, "nothing is new")
	k.add(2)
	c, err := k.Anchor(k.ctx, auditor)
	require.NoError(t, err)
	assert.EqualValues(t, 5, c.Seq, "without the entry that says so")
	written, err := os.ReadFile(k.File)
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(string(written), "\n"), "both left the database")
	_, err = k.Anchor(k.ctx, rights.Identity{OperatorID: "2", Name: "egil",
		Grants: []rights.Grant{{Role: rights.Viewer}}})
	assert.ErrorContains(t, err, "may not do this")
}

// Nothing is signed behind what is not what it was: an entry, the link between two, or the checkpoint before.
func TestNothingIsSignedBehindWhatWasAltered(t *testing.T) {
	for name, attack := range map[string]string{
		"an entry after the checkpoint":  "update audit_entries set actor = 'nobody' where seq = 5",
		"the entry of the checkpoint":    "update audit_entries set actor = 'nobody' where seq = 4",
		"an entry is gone":               "delete from audit_entries where seq = 5",
		"the last signed one is gone":    "delete from audit_entries where seq = 4",
		"the checkpoint is another text": "update checkpoints set document = 'e30.e30.e30'",
		"of another organisation's key":  "update checkpoints set key_list = 'e30.e30.e30'",
	} {
		t.Run(name, func(t *testing.T) {
			k := open(t, 4)
			require.NoError(t, k.AnchorHourly(k.ctx))
			k.add(3)
			k.rewrite(attack)
			require.NoError(t, k.AnchorHourly(k.ctx), "it is said on the trail")
			assert.Len(t, k.checkpoints(), 1)
			why, err := k.db.TrailFoundBroken()
			require.NoError(t, err)
			assert.NotEmpty(t, why)
			_, err = k.Anchor(k.ctx, auditor)
			assert.ErrorContains(t, err, "no checkpoint is made of it")
		})
	}
}

// A checkpoint that somebody forged with a key of their own is not extended, even though it says the right hash.
func TestAForgedCheckpointIsNotExtended(t *testing.T) {
	k := open(t, 4)
	other := open(t, 4)
	require.NoError(t, other.AnchorHourly(other.ctx))
	forged := other.checkpoints()[0]
	require.NoError(t, k.AnchorHourly(k.ctx))
	k.rewrite("update checkpoints set document = '" + forged.Document + "', key_list = '" + forged.KeyList + "'")
	k.add(1)
	require.NoError(t, k.AnchorHourly(k.ctx))
	assert.Len(t, k.checkpoints(), 1)
	why, err := k.db.TrailFoundBroken()
	require.NoError(t, err)
	assert.Contains(t, why, "not signed by this service")
}

func TestCheckFindsTheFirst(t *testing.T) {
	k := open(t, 6)
	c, err := k.Check(k.ctx, 0)
	require.NoError(t, err)
	assert.Nil(t, c.Broken)
	assert.EqualValues(t, 6, c.Last)
	k.rewrite("update audit_entries set reason = 'none' where seq in (3, 5)")
	c, err = k.Check(k.ctx, 0)
	require.NoError(t, err)
	require.NotNil(t, c.Broken)
	assert.EqualValues(t, 3, c.Broken.Seq)
}

// sink keeps what an export gives.
type sink struct {
	entries []int64
	proofs  int
}

func TestAnExportIsInOrderAndOnTheTrail(t *testing.T) {
	k := open(t, 4)
	require.NoError(t, k.AnchorHourly(k.ctx))
	x, err := k.BeginExport(k.ctx, auditor, trail.Query{})
	require.NoError(t, err)
	var got sink
	n, err := x.Write(k.ctx, trail.Sink{
		Entry: func(e audit.Entry) error { got.entries = append(got.entries, e.Seq); return nil },
		Proof: func(audit.Proof) error { got.proofs++; return nil },
	})
	require.NoError(t, err)
	assert.EqualValues(t, 5, n, "the entry that it began is in it")
	assert.Equal(t, []int64{1, 2, 3, 4, 5}, got.entries)
	assert.Equal(t, 1, got.proofs)
	list, _, err := k.List(k.ctx, trail.Query{Action: "trail"}, store.Page{})
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "trail.exported", list[0].Action)
	_, err = k.BeginExport(k.ctx, rights.Identity{OperatorID: "2", Name: "egil"}, trail.Query{})
	assert.ErrorContains(t, err, "may not do this")

	x, err = k.BeginExport(k.ctx, auditor, trail.Query{})
	require.NoError(t, err)
	_, err = x.Write(k.ctx, trail.Sink{Entry: func(audit.Entry) error { return errors.New("the reader went") }})
	assert.ErrorContains(t, err, "the reader went")
	list, _, err = k.List(k.ctx, trail.Query{Action: "trail.exported"}, store.Page{})
	require.NoError(t, err)
	assert.Contains(t, string(list[0].After), `"whole": false`)
}
