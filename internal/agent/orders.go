package agent

import (
	"context"
	"errors"
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/reconcile"
	"rankwarden.example/internal/wire/protocol"
)

// takeOrders carries out the orders of an answer, each once and in order. It is true when one was
// carried out, so that the device looks at itself again.
func (a *Agent) takeOrders(ctx context.Context, documents []string) (bool, error) {
	took := false
	for _, document := range documents {
		var o protocol.Order
		if _, err := a.openSigned(document, &o); err != nil {
			return took, fmt.Errorf("an order: %w", err)
		}
		switch {
		case o.Format != protocol.OrderFormat || o.Device != a.journal.Device:
			return took, fmt.Errorf("%w: the order is not this device's", ErrAnswer)
		case o.Number <= a.journal.Order:
			continue // carried out before
		}
		if err := a.carryOut(ctx, o); err != nil {
			return took, err
		}
		took = true
	}
	return took, nil
}

// carryOut notes the order before it begins, so that it is never begun twice.
func (a *Agent) carryOut(ctx context.Context, o protocol.Order) error {
	a.journal.Order = o.Number
	if o.Kind == protocol.OrderRotate {
		a.journal.Accept(o) // the next look carries it out, when its time has come
		return a.journal.Save()
	}
	a.journal.Begun = &o
	if err := a.journal.Save(); err != nil {
		return err
	}
	state, detail := protocol.OrderDone, ""
	if now := a.now(); !o.EndsAt.IsZero() && !now.Before(o.EndsAt) {
		state = protocol.OrderEnded
	} else if err := a.perform(ctx, o); errors.Is(err, host.ErrShuttingDown) {
		return err
	} else if err != nil {
		state, detail = protocol.OrderFailed, err.Error()
	}
	return a.finished(state, detail)
}

func (a *Agent) finished(state, detail string) error {
	a.journal.Result(a.journal.Begun.Number, state, detail, a.now())
	a.journal.Begun = nil
	return a.journal.Save()
}

// interrupted tells of an order in the middle of which the power went.
func (a *Agent) interrupted() error {
	if a.journal.Begun == nil {
		return nil
	}
	return a.finished(protocol.OrderFailed, "the power went while it was carried out; give the order again")
}

func (a *Agent) perform(ctx context.Context, o protocol.Order) error {
	switch o.Kind {
	case protocol.OrderCheckIn:
		return nil
	case protocol.OrderReapply:
		clear(a.journal.Reversions)
		return nil
	case protocol.OrderCollect:
		a.collect = true
		return nil
	}
	ref, err := principal.Parse(o.Subject)
	if err != nil {
		return err
	}
	state, err := a.Host.Read(ctx)
	if err != nil {
		return err
	}
	if o.Kind == protocol.OrderDisableAccount || o.Kind == protocol.OrderRemoveAccount {
		events, err := reconcile.LetGo(ctx, a.Host, reconcile.Job{
			DesiredContent: a.journal.Asked, Bindings: a.journal.Bindings, Escrowed: a.journal.Escrowed(state),
			Random: a.Random, Now: a.now(),
		}, ref, o)
		a.journal.Note(a.now(), events...)
		return err
	}
	p := reconcile.View{
		State:     state,
		Bindings:  a.journal.Bindings,
		Directory: principal.NewTable(a.journal.Asked.Directory),
	}
	sid := p.Find(ref)
	if _, there := p.Account(sid); !there {
		return reconcile.ErrNoAccount
	}
	switch o.Kind {
	case protocol.OrderUnlock:
		err = a.Host.Unlock(ctx, sid)
	case protocol.OrderEndSessions:
		err = a.Host.EndSessions(ctx, sid)
	default:
		return fmt.Errorf("this agent does not know the order %q; bring it up to date", o.Kind)
	}
	if err == nil {
		a.journal.Note(a.now(), drift.Event{Kind: eventOf[o.Kind], Subject: state.Name(sid, nil).String()})
	}
	return err
}

var eventOf = map[string]drift.EventKind{
	protocol.OrderUnlock:      drift.AccountUnlocked,
	protocol.OrderEndSessions: drift.SessionsEnded,
}
