package service

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/internal/escrow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// listed is what this replica knows of the newest key list.
type listed struct {
	organisation string
	epoch        int64
	number       int64
	document     string // signed by the root
}

// KnownKeyList is the newest key list that this replica knows, signed by the root.
func (s *Service) KnownKeyList() string { return s.keyList.Load().document }

// KeyListNumber is the number of the newest key list.
func (s *Service) KeyListNumber() int64 { return s.keyList.Load().number }

// prepareKeyList makes a new signed key list when the live keys are not those of the newest one.
func (s *Service) prepareKeyList(ctx context.Context) error {
	return s.InTx(ctx, func(tx store.Tx) error { return s.listKeys(tx) })
}

func (s *Service) listKeys(tx store.Tx) error {
	state, err := tx.LockServiceState(s.Organisation)
	if err != nil {
		return err
	}
	if err := s.checkRoot(tx, &state); err != nil {
		return err
	}
	keys, err := tx.EscrowKeys()
	if err != nil {
		return err
	}
	var live []wire.PublicKey
	names := []string{s.Keys.Signing.ID}
	for _, k := range keys {
		if k.State == store.KeyLive {
			live = append(live, wire.PublicKey{ID: fmt.Sprintf("%s-%d", k.Use, k.Number), Use: k.Use, Number: k.Number, Key: k.Public})
			names = append(names, live[len(live)-1].ID)
		}
	}
	names = append(names, fmt.Sprintf("epoch-%d", state.Epoch))
	if all := strings.Join(names, " "); state.KeyListKeys != all {
		state.KeyListNumber++
		state.KeyListKeys = all
		if state.KeyList, err = s.Keys.SignList(state.Organisation, state.Epoch, state.KeyListNumber, live, s.Now()); err != nil {
			return err
		}
		if err := tx.SetServiceState(state); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicKeys}); err != nil {
			return err
		}
		if err := s.audit(tx, itself, record{action: "keys.listed", object: "keys", after: map[string]any{"number": state.KeyListNumber, "keys": names}}); err != nil {
			return err
		}
	}
	s.keyList.Store(&listed{state.Organisation, state.Epoch, state.KeyListNumber, state.KeyList})
	return nil
}

// ErrForeignKeys is matched when the key file is not that of the database.
var ErrForeignKeys = errors.New("the key file belongs to another database")

// checkRoot refuses a key file that is not this database's. A database that knows no root yet takes this one,
// unless its key list was signed by another.
func (s *Service) checkRoot(tx store.Tx, state *store.ServiceState) error {
	if state.RootFingerprint == "" && state.KeyList != "" { // from before the fingerprint was kept
		if _, err := wire.OpenKeyList(state.KeyList, s.Keys.Root.ID); err != nil {
			return fmt.Errorf("%w: its root key is %s, and the key list in the database was signed by another; give the file that this database was used with", ErrForeignKeys, s.Keys.Root.ID)
		}
	}
	if state.RootFingerprint == "" {
		state.RootFingerprint = s.Keys.Root.ID
		return tx.SetServiceState(*state)
	}
	if state.RootFingerprint != s.Keys.Root.ID {
		return fmt.Errorf("%w: the root key of the file is %s, and the database was used with %s; give the file with that one, or the database of this one", ErrForeignKeys, s.Keys.Root.ID, state.RootFingerprint)
	}
	return nil
}

// KeysLoop takes new escrow keys, and key lists that another replica or a command made, until the
// context ends.
func (s *Service) KeysLoop(ctx context.Context) {
	changed := s.Hub.Subscribe(store.TopicKeys)
	defer changed.Close()
	for {
		select {
		case <-ctx.Done():
			return
		case <-changed.Ready:
			changed.Take()
		case <-time.After(time.Minute):
		}
		if err := s.ReloadKeys(ctx); err != nil && ctx.Err() == nil {
			s.Log.Error("reading the keys failed; those of before stay in use", "error", err)
		}
	}
}

// ReloadKeys takes the private escrow keys and the key list as they are now.
func (s *Service) ReloadKeys(ctx context.Context) error {
	opener, err := s.OpenEscrow()
	if err != nil {
		return err
	}
	s.opener.Store(&opener)
	state, err := s.Store.With(ctx).ServiceState()
	if err != nil {
		return err
	}
	s.keyList.Store(&listed{state.Organisation, state.Epoch, state.KeyListNumber, state.KeyList})
	return nil
}

// escrowKeys opens what was sealed to the keys that this replica holds.
func (s *Service) escrowKeys() escrow.Opener { return *s.opener.Load() }

// BeginEpoch begins a new epoch of the service, after its database came back from a backup: every
// device is told anew, under numbers that were never used, and gives again what the database lacks.
func (s *Service) BeginEpoch(ctx context.Context) (epoch int64, err error) {
	err = s.InTx(ctx, func(tx store.Tx) error {
		state, err := tx.LockServiceState(s.Organisation)
		if err != nil {
			return err
		}
		state.Epoch++
		// A device may hold a higher number of the list than this older database knows.
		state.KeyListNumber = state.Epoch << 32
		epoch = state.Epoch
		if err := tx.SetServiceState(state); err != nil {
			return err
		}
		if err := tx.DevicesIntoEpoch(state.Epoch); err != nil {
			return err
		}
		if err := tx.RequestSettle(store.SettleRequest{Cause: "the service came back from a backup", Groups: []string{"everything"}, CreatedAt: s.Now()}); err != nil {
			return err
		}
		if err := s.audit(tx, itself, record{action: "service.restored", object: "service", after: map[string]any{"epoch": state.Epoch}}); err != nil {
			return err
		}
		return s.listKeys(tx)
	})
	return epoch, err
}
