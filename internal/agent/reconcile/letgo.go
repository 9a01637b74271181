package reconcile

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/wire/protocol"
)

// Refusals of an order that lets go of an account.
var (
	errIsBuiltin = errors.New("it is built in; a policy says whether it is enabled")
	errIsManaged = errors.New("a policy manages it; take it out of the policy first, or have the policy do it")
	errFilesStay = errors.New("this platform cannot move the files of an account; give the order with the files kept")
)

// LetGo disables or removes an account that no policy manages, as an order says, under the guard. One that a service or
// a scheduled task runs as stays as it is. It gives what was done.
func LetGo(
	ctx context.Context, h host.Host, job Job, ref principal.Ref, order protocol.Order,
) ([]drift.Event, error) {
	p := &pass{ctx: ctx, host: h, job: job, View: View{Bindings: job.Bindings,
		Directory: principal.NewTable(job.Directory)}}
	if p.read(); p.fatal != nil {
		return nil, p.fatal
	}
	a, there := p.Account(p.Find(ref))
	if !there {
		return nil, ErrNoAccount
	}
	if err := p.mayLetGo(a); err != nil {
		return nil, err
	}
	err := h.EnableAccount(ctx, a.SID, false) // first, so that nobody signs in again
	if err == nil {
		err = h.EndSessions(ctx, a.SID)
	}
	if err != nil {
		return p.events, err
	}
	if order.Kind == protocol.OrderDisableAccount {
		p.did(drift.AccountDisabled, unit.ID{}, a.Name, drift.Details{})
		return p.events, nil
	}
	if order.Files == protocol.FilesMoved {
		moves, can := h.(host.MovesFiles)
		if !can {
			return p.events, errFilesStay
		}
		if err := moves.MoveFiles(ctx, a.SID, job.Now.UTC().Format(time.DateOnly)); err != nil {
			return p.events, fmt.Errorf("moving its files: %w", err)
		}
	}
	if err := h.DeleteAccount(ctx, a.SID); err != nil {
		return p.events, err
	}
	p.did(drift.AccountRemoved, unit.ID{}, a.Name, drift.Details{})
	return p.events, nil
}

func (p *pass) mayLetGo(a drift.Account) error {
	if a.Builtin != "" {
		return errIsBuiltin
	}
	for _, s := range p.job.Settings {
		if key, is := s.Unit.AccountKey(); is && key == a.Key {
			return errIsManaged
		}
	}
	list, err := p.runningAs(a)
	switch {
	case err != nil:
		return err
	case len(list) > 0:
		return fmt.Errorf("%s runs as it; have that run as another account first", strings.Join(list, ", "))
	}
	return p.guard(a.SID)
}
