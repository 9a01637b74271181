package changes_test

import (
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
)

// fleet is the room over a real database with devices, a group by rule of those on the pier, and a policy for that
// group.
type fleet struct {
	*changes.Service
	t       *testing.T
	db      *store.Store
	rules   gate.Rules
	devices []store.Device
	names   []string
}

const lamps = "format: rankwarden.policy/1\nname: lamps\npasswords: {min_length: %d}\n"

func newFleet(t *testing.T, devices int, rules gate.Rules) *fleet {
	db, _ := storetest.Open(t)
	now := time.Now()
	f := &fleet{t: t, db: db}
	for i := range devices {
		f.names = append(f.names, fmt.Sprintf("SKL-TKT-%03d", i+1))
	}
	f.devices = storetest.Devices(t, db, now, f.names...)
	storetest.Write(t, db, func(tx store.DoorWriter) error {
		source := fmt.Sprintf(lamps, 12)
		p := store.Policy{ID: "p", Name: "lamps", Source: source, Version: 1, Revision: 1, CreatedAt: now,
			UpdatedAt: now}
		g := store.Group{ID: "g", Name: "pier", Rule: `device.path == "pier"`, Version: 1, CreatedAt: now,
			UpdatedAt: now}
		return errors.Join(tx.AddPolicy(p), tx.AddGroup(g),
			tx.AddPolicyRevision(store.PolicyRevision{PolicyID: "p", Number: 1, Source: source, PublishedAt: now}),
			tx.AddAssignment(store.Assignment{ID: "a", Name: "piers", PolicyID: "p", Revision: 1,
				Include: []string{"pier"},
				Exclude: []string{}, Within: []string{}, Rank: 10, Stance: "enforce", Version: 1, CreatedAt: now,
				UpdatedAt: now}))
	})
	f.rules = rules
	f.open()
	return f
}

// open opens the room anew, which sees the fleet as it is now.
func (f *fleet) open() {
	room := uowtest.Door(f.db, func(r store.Reader) changes.Reads { return r },
		func(w store.DoorWriter) changes.Records { return w })
	f.Service = changes.New(changes.Service{Room: room, Locks: f.db, Documents: cache.NewDocuments(),
		View: uowtest.View(f.t, f.db, &notices.Hub{}), Rules: f.rules})
}

func operator(groups []string, roles ...rights.Role) rights.Identity {
	who := rights.Identity{OperatorID: "1", Name: "asta"}
	for _, role := range roles {
		who.Grants = append(who.Grants, rights.Grant{Role: role, Groups: groups})
	}
	return who
}

func named(name string, roles ...rights.Role) rights.Identity {
	who := operator(nil, roles...)
	who.Name, who.OperatorID = name, name
	return who
}

var (
	owner    = operator(nil, rights.Owner)
	author   = named("runa", rights.Author, rights.Deployer)
	second   = named("egil", rights.Author, rights.Deployer)
	approver = named("bjorn", rights.Deployer)
)

func refused(t *testing.T, err error, kind refusal.Kind, code string) {
	t.Helper()
	var e *refusal.Error
	require.ErrorAs(t, err, &e)
	assert.Equal(t, kind, e.Kind, e.Message)
	assert.Equal(t, code, e.Code, e.Message)
}

// asking is how somebody comes to the door unseen and without a word.
var asking changes.Asking

// looked repeats something as whoever has seen what it does, and gives how it ended.
func looked(do func(asking changes.Asking) error) error {
	err := do(changes.Asking{})
	var e *refusal.Error
	if !errors.As(err, &e) || e.Preview == nil {
		return err
	}
	return do(changes.Asking{Seen: e.Preview.(*changes.Preview).Digest, Reason: "a test wants it"})
}
