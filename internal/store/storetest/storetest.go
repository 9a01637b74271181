// Package storetest gives the tests of rules a real database, each test its own.
package storetest

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/core/text"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

var (
	once      sync.Once
	cluster   *pgcluster.Cluster
	failed    error
	dir       string
	databases atomic.Int64
)

// Run runs the tests of a package, and ends the database server that they used. Call it from TestMain.
func Run(m *testing.M) {
	code := m.Run()
	if cluster != nil {
		cluster.Stop()
	}
	if dir != "" {
		_ = pgcluster.Remove(dir) // a temporary directory
	}
	os.Exit(code)
}

const template = "template_of_tests"

// start starts a server with one database that is up to date, of which those of the tests are copies.
func start() {
	ctx := context.Background()
	if dir, failed = os.MkdirTemp("", "storetest"); failed != nil {
		return
	}
	// Only a machine that loses power would notice the settings.
	cluster, failed = pgcluster.Start(ctx, filepath.Join(dir, "postgres"), "fsync=off", "full_page_writes=off")
	if failed != nil {
		return
	}
	url, err := cluster.CreateDatabase(ctx, template)
	if err != nil {
		failed = err
		return
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		failed = err
		return
	}
	defer db.Close()
	failed = db.Migrate(ctx, slog.New(slog.DiscardHandler))
}

// Open gives an empty database that is up to date, and its address, as the owner of the schema.
func Open(t testing.TB) (*store.Store, string) {
	once.Do(start)
	require.NoError(t, failed)
	url, err := cluster.CopyDatabase(t.Context(), template, fmt.Sprintf("test_%d", databases.Add(1)))
	require.NoError(t, err)
	db, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	return db, url
}

// Write writes records as they are, for what a test begins with.
func Write(t testing.TB, db *store.Store, do func(tx store.DoorWriter) error) {
	require.NoError(t, Try(t, db, do))
}

// Try is [Write] of what may fail.
func Try(t testing.TB, db *store.Store, do func(tx store.DoorWriter) error) error {
	all := store.ForDoor(db, func(r store.Reader) store.Reader { return r },
		func(w store.DoorWriter) store.DoorWriter { return w })
	return all.InTx(t.Context(), do)
}

// Devices adds live devices of the names, which were just heard from.
func Devices(t testing.TB, db *store.Store, now time.Time, names ...string) []store.Device {
	var list []store.Device
	Write(t, db, func(tx store.DoorWriter) error {
		token := store.EnrolmentToken{ID: store.NewID(now), SecretHash: []byte{1}, CreatedAt: now,
			ExpiresAt: now.Add(time.Hour),
			UsesLeft:  len(names), Groups: []string{}, Tags: []string{}}
		if err := tx.AddEnrolmentToken(token); err != nil {
			return err
		}
		for i, name := range names {
			d := store.Device{
				ID: fmt.Sprintf("D%025d", i), Name: name, NameKey: text.Fold(name), Platform: "windows",
				State:     store.Live,
				PublicKey: []byte{byte(i >> 8), byte(i)}, KeyID: fmt.Sprintf("key-%d", i), TokenID: token.ID,
				EnrolledAt: now, Epoch: 1,
				StandingColumns: store.StandingColumns{DesiredEpoch: 1, LastContact: &now},
			}
			if err := tx.AddDevice(d); err != nil {
				return err
			}
			list = append(list, d)
		}
		return nil
	})
	return list
}
