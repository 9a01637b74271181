package agent

import (
	"context"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/internal/wire/protocol"
)

// ask sends a signed request and reads the answer to it.
func (a *Agent) ask(ctx context.Context, path string, payload, into any) error {
	request, err := a.sign(path, 0, payload)
	if err != nil {
		return err
	}
	document, err := a.post(ctx, path, request)
	if protocol.RefusedWith(err, protocol.CodeWrongTime) {
		return &protocol.Unreachable{
			Why: errors.Join(err, a.FetchKeys(ctx)),
		} // the next attempt goes by the service's time
	}
	if err != nil {
		return err
	}
	if err := a.open(document, request, into); err != nil {
		return &protocol.Unreachable{Why: errors.Join(err, a.FetchKeys(ctx))}
	}
	return nil
}

// Deposit implements [rotate.Service]: it gives the service a sealed password, and gives the time at which it was
// durable.
func (a *Agent) Deposit(ctx context.Context, d protocol.Deposit) (time.Time, error) {
	var answer protocol.DepositAnswer
	if err := a.ask(ctx, protocol.PathDeposit, d, &answer); err != nil {
		return time.Time{}, fmt.Errorf("depositing the password: %w", err)
	}
	return answer.Time, nil
}

// Confirm implements [rotate.Service]: it tells the service that the password of a deposit opens the account.
func (a *Agent) Confirm(ctx context.Context, c protocol.Confirm) error {
	if err := a.ask(ctx, protocol.PathConfirm, c, &protocol.DepositAnswer{}); err != nil {
		return fmt.Errorf("confirming the password: %w", err)
	}
	return nil
}

// BeginEpoch implements [rotate.Service].
func (a *Agent) BeginEpoch(ctx context.Context, held int64, nonce string) (int64, error) {
	var answer protocol.EpochAnswer
	err := a.ask(ctx, protocol.PathEpoch, protocol.EpochRequest{Held: held, Nonce: nonce}, &answer)
	return answer.Epoch, err
}
