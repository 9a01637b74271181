package agent

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
	"rankwarden.example/internal/protocol"
)

// ask sends a signed request and reads the answer to it.
func (a *Agent) ask(ctx context.Context, path string, payload, into any) error {
	request, err := a.sign(path, 0, payload)
	if err != nil {
		return err
	}
	document, err := a.post(ctx, path, request)
	if refusedWith(err, protocol.CodeWrongTime) {
		return &unreachable{errors.Join(err, a.fetchKeys(ctx))} // the next attempt goes by the service's time
	}
	if err != nil {
		return err
	}
	if err := a.open(document, request, into); err != nil {
		return &unreachable{errors.Join(err, a.fetchKeys(ctx))}
	}
	return nil
}

// deposit gives the service a sealed password, and gives the time at which it was durable.
func (a *Agent) deposit(ctx context.Context, d protocol.Deposit) (time.Time, error) {
	var answer protocol.DepositAnswer
	if err := a.ask(ctx, protocol.PathDeposit, d, &answer); err != nil {
		return time.Time{}, fmt.Errorf("depositing the password: %w", err)
	}
	return answer.Time, nil
}

// confirm tells the service that the password of a deposit opens the account.
func (a *Agent) confirm(ctx context.Context, c protocol.Confirm) error {
	if err := a.ask(ctx, protocol.PathConfirm, c, &protocol.DepositAnswer{}); err != nil {
		return fmt.Errorf("confirming the password: %w", err)
	}
	return nil
}

// marks are the numbers that a check-in tells.
func (m *memory) marks() protocol.DepositMarks {
	marks := protocol.DepositMarks{Latest: m.Deposit}
	for _, r := range m.Rotations {
		for _, k := range r.Kept {
			if k.Confirmed && k.Epoch == m.Epoch {
				marks.Confirmed = max(marks.Confirmed, k.Number)
			}
		}
	}
	return marks
}

// giveAgain gives the service the deposits and confirmations that it lacks, as after it came back
// from a backup. What it can no longer take is changed anew.
func (a *Agent) giveAgain(ctx context.Context, has protocol.DepositMarks) error {
	type lacking struct {
		kept
		of *rotating
	}
	var list []lacking
	for _, name := range slices.Sorted(maps.Keys(a.memory.Rotations)) {
		r := a.memory.Rotations[name]
		for _, k := range r.Kept {
			if earlier := k.Epoch < a.memory.Epoch; earlier && a.memory.Lacking || !earlier && (k.Number > has.Latest || k.Confirmed && k.Number > has.Confirmed) {
				list = append(list, lacking{k, r})
			}
		}
	}
	slices.SortFunc(list, func(x, y lacking) int { return cmp.Or(cmp.Compare(x.Epoch, y.Epoch), cmp.Compare(x.Number, y.Number)) })
	for _, k := range list {
		if k.Number > has.Latest || k.Epoch < a.memory.Epoch {
			if _, err := a.deposit(ctx, k.Deposit); refusedWith(err, protocol.CodeSequenceBehind) && k.Epoch == a.memory.Epoch {
				return a.newEpoch(ctx)
			} else if refusedWith(err, protocol.CodeSequenceBehind) {
				continue // the service has another one of that number, of before the snapshot
			} else if refusedWith(err, protocol.CodeBadDeposit, protocol.CodeKeyMissing, protocol.CodeKeyRetired) {
				k.of.Now = rotation.Interrupted
				continue
			} else if err != nil {
				return err
			}
		}
		if k.Confirmed {
			if err := a.confirm(ctx, protocol.Confirm{Epoch: k.Epoch, Number: k.Number}); err != nil {
				return err
			}
		}
	}
	return nil
}

// newEpoch begins an epoch of this device in which no number was used, and has every password
// changed: what the device has now may be in escrow under a number of before the snapshot only.
func (a *Agent) newEpoch(ctx context.Context) error {
	if a.memory.Nonce == "" {
		a.memory.Nonce = rand.Text()
		if err := a.save(); err != nil {
			return err
		}
	}
	var answer protocol.EpochAnswer
	if err := a.ask(ctx, protocol.PathEpoch, protocol.EpochRequest{Held: a.memory.Epoch, Nonce: a.memory.Nonce}, &answer); err != nil {
		return fmt.Errorf("beginning a new epoch: %w", err)
	}
	m := &a.memory
	m.Epoch, m.Nonce, m.Seq, m.Deposit, m.EventSeq, m.Lacking = answer.Epoch, "", 0, 0, 0, true
	m.Last, m.Pending = nil, nil
	waiting := m.Events
	m.Events = nil
	for _, e := range waiting {
		at := e.At
		m.note(at, e)
	}
	m.note(a.now(), drift.Event{Kind: drift.DeviceRestored, Details: drift.Details{Number: answer.Epoch}})
	for _, r := range m.Rotations {
		r.Begun, r.Now, r.Retry = 0, rotation.Restored, time.Time{}
	}
	return a.save()
}
