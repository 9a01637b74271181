// Package service holds the use cases: one file a use case. Transactions begin and end here, rules
// come from core, records go to the store.
package service

import (
	"context"
	"encoding/json"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/directory"
	"rankwarden.example/internal/escrow"
	"rankwarden.example/internal/fleetview"
	"rankwarden.example/internal/live"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// Options are what a service is made of.
type Options struct {
	Store        *store.Store
	Keys         wire.Keyring
	Hub          *live.Hub
	View         *fleetview.View
	Log          *slog.Logger
	Now          func() time.Time
	Organisation string
	Interval     time.Duration // between two check-ins of a device
	// OpenEscrow reads the private escrow keys; it is called again when they changed.
	OpenEscrow func() (escrow.Opener, error)
	// RevealBudget is how many passwords an operator may see in an hour before a second person must approve.
	RevealBudget int
	Kept         store.Kept // how long records are kept

	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
}

// Changed waits until the lists of this replica have everything that was committed before the call.
func (s *Service) Changed(ctx context.Context) { s.View.Sync(ctx, s.Store) }

// Service carries out what operators and devices ask for.
type Service struct {
	Options
	policies  policyCache
	passwords *hashing
	keyList   atomic.Pointer[listed]
	opener    atomic.Pointer[escrow.Opener]

	rules     sync.Map // names of policies by scope and rotated account
	ruleCount atomic.Int64
	aims      sync.Map // names of assignments by scope
	aimCount  atomic.Int64
}

// New makes a service and brings its signed key list up to date.
func New(ctx context.Context, o Options) (*Service, error) {
	s := &Service{Options: o, passwords: newHashing()}
	s.policies.documents = map[revisionKey]*policy.Document{}
	opener, err := o.OpenEscrow()
	if err != nil {
		return nil, err
	}
	s.opener.Store(&opener)
	return s, s.prepareKeyList(ctx)
}

func (s *Service) clock() store.Clock { return store.Clock{Now: s.Now(), Interval: s.Interval} }

// record is an audit entry in the making.
type record struct {
	action, object string
	before, after  any // never a secret
	reason         string
	outcome        audit.Outcome
}

func (s *Service) audit(tx store.Tx, who auth.Identity, r record) error {
	raw := func(v any) json.RawMessage {
		if v == nil {
			return nil
		}
		data, err := json.Marshal(v)
		if err != nil {
			s.Log.Error("an audit entry lost a value", "action", r.action, "error", err)
		}
		return data
	}
	if r.outcome == "" {
		r.outcome = audit.Done
	}
	return tx.AppendAudit(audit.Entry{At: s.Now(), Actor: who.Name, Address: who.Address, Action: r.action, Object: r.object,
		Before: raw(r.before), After: raw(r.after), Reason: r.reason, Outcome: r.outcome})
}

// itself is the identity of what the service does without being asked.
var itself = auth.Identity{Name: audit.Service, Grants: []auth.Grant{{Role: auth.Owner}}}

// deviceItself is the identity of a device in the trail.
func deviceItself(id, address string) auth.Identity {
	return auth.Identity{Name: "device:" + id, Address: address}
}

// refuse puts a refused attempt on the trail, and gives the refusal.
func (s *Service) refuse(ctx context.Context, who auth.Identity, r record, refusal error) error {
	r.outcome = audit.Refused
	if err := s.InTx(ctx, func(tx store.Tx) error { return s.audit(tx, who, r) }); err != nil {
		return err
	}
	return refusal
}

// Refuse refuses whoever lacks the right to do something, and puts the attempt on the trail.
func (s *Service) Refuse(ctx context.Context, who auth.Identity, action, object string) error {
	return s.refuse(ctx, who, record{action: action, object: object}, failf(Forbidden, "with the role %s you may not do this; ask an owner for one that may", auth.RoleNames(who.Grants)))
}

// RefuseToken refuses an API token what only a signed-in session may do, and puts the attempt on the trail.
func (s *Service) RefuseToken(ctx context.Context, who auth.Identity, action, object string) error {
	return s.refuse(ctx, who, record{action: action, object: object}, failf(Forbidden, "an API token may not do this; sign in with your password").code("session_needed"))
}

// InTx runs do in one transaction.
func (s *Service) InTx(ctx context.Context, do func(tx store.Tx) error) error {
	return s.Store.InTx(ctx, do)
}
