package rotate

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rotation"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/wire/protocol"
)

// GiveAgain gives the service the deposits and confirmations that it lacks, as after it came back
// from a backup. What it can no longer take is changed again.
func (x *Rotator) GiveAgain(ctx context.Context, has protocol.DepositMarks) error {
	type lacking struct {
		journal.StoredDeposit
		of *journal.Password
	}
	var list []lacking
	for _, name := range slices.Sorted(maps.Keys(x.Journal.Passwords)) {
		r := x.Journal.Passwords[name]
		for _, k := range r.Kept {
			if earlier := k.Epoch < x.Journal.Epoch; earlier && x.Journal.Lacking ||
				!earlier && (k.Number > has.Latest || k.Confirmed && k.Number > has.Confirmed) {
				list = append(list, lacking{k, r})
			}
		}
	}
	slices.SortFunc(
		list,
		func(x, y lacking) int { return cmp.Or(cmp.Compare(x.Epoch, y.Epoch), cmp.Compare(x.Number, y.Number)) },
	)
	for _, k := range list {
		if k.Number > has.Latest || k.Epoch < x.Journal.Epoch {
			if _, err := x.Service.Deposit(ctx, k.Deposit); protocol.RefusedWith(err, protocol.CodeSequenceBehind) &&
				k.Epoch == x.Journal.Epoch {
				return x.NewEpoch(ctx)
			} else if protocol.RefusedWith(err, protocol.CodeSequenceBehind) {
				continue // the service has another one of that number, of before the snapshot
			} else if protocol.RefusedWith(err, protocol.CodeBadDeposit, protocol.CodeKeyMissing,
				protocol.CodeKeyRetired) {
				k.of.Now = rotation.Interrupted
				continue
			} else if err != nil {
				return err
			}
		}
		if k.Confirmed {
			if err := x.Service.Confirm(ctx, protocol.Confirm{Epoch: k.Epoch, Number: k.Number}); err != nil {
				return err
			}
		}
	}
	return nil
}

// epochEvery is how often a device begins a new epoch by itself: two machines with one key would do so for ever.
const epochEvery = time.Hour

var errEpochs = errors.New("the numbers of this device were used by another machine or before, and it began an epoch " +
	"less than an hour ago")

// NewEpoch begins an epoch of this device in which no number was used, and has every password
// changed: what the device has now may be in escrow under a number of before the snapshot only.
func (x *Rotator) NewEpoch(ctx context.Context) error {
	if again := x.Journal.EpochAt.Add(epochEvery); x.Journal.Nonce == "" && x.Now().Before(again) {
		return fmt.Errorf("%w; it begins no other before %s", errEpochs, again.UTC().Format(time.RFC3339))
	}
	if x.Journal.Nonce == "" {
		x.Journal.Nonce = rand.Text()
		if err := x.Journal.Save(); err != nil {
			return err
		}
	}
	epoch, err := x.Service.BeginEpoch(ctx, x.Journal.Epoch, x.Journal.Nonce)
	if err != nil {
		return fmt.Errorf("beginning a new epoch: %w", err)
	}
	m := x.Journal
	m.Epoch, m.Nonce, m.Seq, m.Deposit, m.EventSeq, m.Lacking = epoch, "", 0, 0, 0, true
	m.Last, m.Pending, m.EpochAt = nil, nil, x.Now()
	waiting := m.Events
	m.Events = nil
	for _, e := range waiting {
		at := e.At
		m.Note(at, e)
	}
	m.Note(x.Now(), drift.Event{Kind: drift.DeviceRestored, Details: drift.Details{Number: epoch}})
	for _, r := range m.Passwords {
		r.Begun, r.Now, r.Retry = 0, rotation.Restored, time.Time{}
	}
	return x.Journal.Save()
}
