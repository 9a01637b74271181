package agent

import (
	"context"
	"errors"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/wire/protocol"
)

// cry tells the service that the agent can keep nothing, so that it cannot go on; nothing of what it tells is kept.
func (a *Agent) cry(ctx context.Context, why error) {
	if !errors.Is(why, journal.ErrKept) || a.journal.Device == "" {
		return
	}
	body := protocol.CheckIn{Desired: a.journal.Desired, KeyList: a.journal.KeyList.Number, Epoch: a.journal.Epoch,
		Orders: a.journal.Order, Deposit: a.journal.Marks(), Life: a.life, Trouble: drift.Shortened(why.Error())}
	request, err := a.sign(protocol.PathCheckIn, 0, body)
	if err == nil {
		_, err = a.post(ctx, protocol.PathCheckIn, request)
	}
	if err != nil {
		a.Log.Warn("the service could not be told", "error", err)
	}
}
