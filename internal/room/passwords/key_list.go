package passwords

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

// knownKeyList is what this replica knows of the newest key list.
type knownKeyList struct {
	organisation string
	epoch        int64
	number       int64
	document     string // signed by the root
}

// Signing is the key that signs what devices are told.
func (s *Service) Signing() protocol.Key { return s.Keys.Signing }

// Root is the fingerprint of the root key, which signs key lists.
func (s *Service) Root() string { return s.Keys.Root.ID }

// Epoch is that of the service; it grows when its database comes back from a backup.
func (s *Service) Epoch() int64 { return s.listed.Load().epoch }

// SignedKeyList is the newest key list in the database, signed by the root, and its number.
func (s *Service) SignedKeyList(ctx context.Context) (string, int64, error) {
	state, err := s.Read(ctx).ServiceState()
	return state.KeyList, state.KeyListNumber, err
}

// KnownKeyList is the newest key list that this replica knows, signed by the root.
func (s *Service) KnownKeyList() string { return s.listed.Load().document }

// KeyListNumber is the number of the newest key list.
func (s *Service) KeyListNumber() int64 { return s.listed.Load().number }

// publish makes a new signed key list when the live keys are not those of the newest one.
func (s *Service) publish(ctx context.Context) error {
	var list *knownKeyList
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) (err error) {
		list, err = s.list(tx, w)
		return err
	})
	return s.know(list, err)
}

// know takes a list as the newest, once the transaction that made it ended well.
func (s *Service) know(list *knownKeyList, err error) error {
	if err == nil {
		s.listed.Store(list)
	}
	return err
}

// list gives the key list of the keys that are live, which is a new one when they are others than before.
func (s *Service) list(tx Records, w *uow.Work) (*knownKeyList, error) {
	state, err := tx.LockServiceState(s.Organisation)
	if err != nil {
		return nil, err
	}
	if err := s.checkRoot(tx, &state); err != nil {
		return nil, err
	}
	keys, err := tx.EscrowKeys()
	if err != nil {
		return nil, err
	}
	var live []protocol.PublicKey
	names := []string{s.Keys.Signing.ID}
	for _, k := range keys {
		if k.State == store.KeyLive {
			live = append(live, protocol.PublicKey{
				ID:     fmt.Sprintf("%s-%d", k.Use, k.Number),
				Use:    k.Use,
				Number: k.Number,
				Key:    k.Public,
			})
			names = append(names, live[len(live)-1].ID)
		}
	}
	names = append(names, fmt.Sprintf("epoch-%d", state.Epoch))
	if all := strings.Join(names, " "); state.KeyListKeys != all {
		state.KeyListNumber++
		state.KeyListKeys = all
		if state.KeyList, err = s.Keys.SignList(state.Organisation, state.Epoch, state.KeyListNumber, live,
			s.Now()); err != nil {
			return nil, err
		}
		if err := tx.SetServiceState(state); err != nil {
			return nil, err
		}
		w.Tell(store.TopicKeys)
		w.Also(
			uow.ByService("keys.listed", "keys"),
			audit.Done,
			nil,
			map[string]any{"number": state.KeyListNumber, "keys": names},
		)
	}
	return &knownKeyList{state.Organisation, state.Epoch, state.KeyListNumber, state.KeyList}, nil
}

// ErrForeignKeys is matched when the key file is not that of the database.
var ErrForeignKeys = errors.New("the key file belongs to another database")

// checkRoot refuses a key file that is not this database's. A database that knows no root yet takes this one,
// unless its key list was signed by another.
func (s *Service) checkRoot(tx Records, state *store.ServiceState) error {
	if state.RootFingerprint == "" && state.KeyList != "" { // from before the fingerprint was kept
		if _, err := protocol.OpenKeyList(state.KeyList, s.Keys.Root.ID); err != nil {
			return fmt.Errorf(
				"%w: its root key is %s, and the key list in the database was signed by another; give the file that "+
					"this database was used with",
				ErrForeignKeys,
				s.Keys.Root.ID,
			)
		}
	}
	if state.RootFingerprint == "" {
		state.RootFingerprint = s.Keys.Root.ID
		return tx.SetServiceState(*state)
	}
	if state.RootFingerprint != s.Keys.Root.ID {
		return fmt.Errorf(
			"%w: the root key of the file is %s, and the database was used with %s; give the file with that one, or "+
				"the database of this one",
			ErrForeignKeys,
			s.Keys.Root.ID,
			state.RootFingerprint,
		)
	}
	return nil
}

// KeysLoop takes new escrow keys, and key lists that another replica or a command made, until the
// context ends.
func (s *Service) KeysLoop(ctx context.Context) {
	changed := s.Hub.Subscribe(store.TopicKeys, store.TopicDatabase)
	defer changed.Close()
	for {
		select {
		case <-ctx.Done():
			return
		case <-changed.Ready:
			changed.Drain()
		case <-time.After(time.Minute):
		}
		if err := s.ReloadKeys(ctx); err != nil && ctx.Err() == nil {
			s.Log.Error("reading the keys failed; those of before stay in use", "error", err)
		}
	}
}

// ReloadKeys takes the private escrow keys and the key list as they are now.
func (s *Service) ReloadKeys(ctx context.Context) error {
	if err := s.readEscrow(); err != nil {
		return err
	}
	state, err := s.Read(ctx).ServiceState()
	if err != nil {
		return err
	}
	s.listed.Store(&knownKeyList{state.Organisation, state.Epoch, state.KeyListNumber, state.KeyList})
	return nil
}

// readEscrow takes the private escrow keys as they are now.
func (s *Service) readEscrow() error {
	opener, err := s.OpenEscrow()
	if err == nil {
		s.opener.Store(&opener)
	}
	return err
}

// escrowKeys opens what was sealed to the keys that this replica holds.
func (s *Service) escrowKeys() escrow.Opener { return *s.opener.Load() }
