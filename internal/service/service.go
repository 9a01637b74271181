// Package service holds the use cases: one file a use case. Transactions begin and end here, rules
// come from core, records go to the store.
package service

import (
	"context"
	"encoding/json"
	"log/slog"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/directory"
	"rankwarden.example/internal/live"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// Options are what a service is made of.
type Options struct {
	Store        *store.Store
	Keys         wire.Keyring
	Hub          *live.Hub
	Log          *slog.Logger
	Now          func() time.Time
	Organisation string
	Interval     time.Duration // between two check-ins of a device

	// DirectoryConnection is nil where the directory is only imported.
	DirectoryConnection *directory.Connection
}

// Service carries out what operators and devices ask for.
type Service struct {
	Options
	policies policyCache
	keyList  int64 // number of the newest
}

// KeyListNumber is the number of the newest key list.
func (s *Service) KeyListNumber() int64 { return s.keyList }

// New makes a service and brings its signed key list up to date.
func New(ctx context.Context, o Options) (*Service, error) {
	s := &Service{Options: o}
	s.policies.documents = map[revisionKey]*policy.Document{}
	return s, s.prepareKeyList(ctx)
}

func (s *Service) clock() store.Clock { return store.Clock{Now: s.Now(), Interval: s.Interval} }

// record is an audit entry in the making.
type record struct {
	action, object string
	before, after  any // never a secret
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
		Before: raw(r.before), After: raw(r.after), Outcome: r.outcome})
}

// itself is the identity of what the service does without being asked.
var itself = auth.Identity{Name: audit.Service, Role: auth.Owner}

// allow refuses whoever may not change anything, and puts the attempt on the trail.
func (s *Service) allow(ctx context.Context, who auth.Identity, action, object string) error {
	if who.MayChange() {
		return nil
	}
	if err := s.InTx(ctx, func(tx store.Tx) error {
		return s.audit(tx, who, record{action: action, object: object, outcome: audit.Refused})
	}); err != nil {
		return err
	}
	return failf(Forbidden, "the role %s may look but not change anything; ask an owner", who.Role)
}

// MayChange refuses whoever may not change anything, and puts the attempt on the trail.
func (s *Service) MayChange(ctx context.Context, who auth.Identity, action, object string) error {
	return s.allow(ctx, who, action, object)
}

// InTx runs do in one transaction.
func (s *Service) InTx(ctx context.Context, do func(tx store.Tx) error) error {
	return s.Store.InTx(ctx, do)
}

func (s *Service) prepareKeyList(ctx context.Context) error {
	return s.InTx(ctx, func(tx store.Tx) error {
		state, err := tx.LockServiceState(s.Organisation)
		s.keyList = state.KeyListNumber
		if err != nil || state.KeyListKeys == s.Keys.Signing.ID {
			return err
		}
		state.KeyListNumber++
		s.keyList = state.KeyListNumber
		state.KeyListKeys = s.Keys.Signing.ID
		if state.KeyList, err = s.Keys.SignList(state.Organisation, state.Epoch, state.KeyListNumber, s.Now()); err != nil {
			return err
		}
		if err := tx.SetServiceState(state); err != nil {
			return err
		}
		return s.audit(tx, itself, record{action: "keys.listed", object: "keys", after: map[string]any{"number": state.KeyListNumber, "signing": state.KeyListKeys}})
	})
}
