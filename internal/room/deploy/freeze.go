package deploy

import (
	"context"
	"errors"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// errFrozen says that nothing is settled because of a freeze.
var errFrozen = errors.New("settling is frozen")

// Freezes are those in force.
func (s *Service) Freezes(ctx context.Context) ([]store.Freeze, error) {
	return s.Read(ctx).Freezes()
}

// Freeze stops settling and waves everywhere at once, or waves alone, until somebody thaws the service. It needs a
// reason, which everybody is told, and the right to deploy everywhere.
func (s *Service) Freeze(ctx context.Context, who rights.Identity, all bool, reason string) (store.Freeze, error) {
	f := store.Freeze{What: store.FreezeRollouts, Reason: strings.TrimSpace(reason), By: who.Name, At: s.Now()}
	if all {
		f.What = store.FreezeAll
	}
	act := uow.ByOperator(operation.Freeze, who, f.What).Because(f.Reason)
	return f, s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if f.Reason == "" {
			return refusal.New(refusal.Invalid, "say why, for everybody who waits").At("reason").
				WithCode("reason_needed")
		}
		if err := everywhere(tx, who); err != nil {
			return err
		}
		w.After = map[string]any{"what": f.What}
		w.Tell(store.TopicEdits) // which open pages hear
		return tx.SetFreeze(f)
	})
}

// Thaw ends every freeze.
func (s *Service) Thaw(ctx context.Context, who rights.Identity, reason string) error {
	act := uow.ByOperator(operation.Thaw, who, "service").Because(strings.TrimSpace(reason))
	return s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if err := everywhere(tx, who); err != nil {
			return err
		}
		before, err := tx.Freezes()
		if err != nil {
			return err
		}
		if len(before) == 0 {
			return refusal.New(refusal.Conflict, "nothing is frozen").WithCode("not_frozen")
		}
		w.Before = map[string]any{"what": before[0].What, "reason": before[0].Reason, "by": before[0].By}
		w.Tell(store.TopicEdits) // which open pages hear
		w.Tell(store.TopicSettle)
		return tx.LiftFreezes()
	})
}

// everywhere refuses whoever does not reach every device: a freeze is for all of them.
func everywhere(tx Records, who rights.Identity) error {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return nil
	}
	devices, err := tx.LiveDevices([]string{assign.Everything}, nil)
	if err != nil {
		return err
	}
	ids := make([]string, len(devices))
	for i, d := range devices {
		ids[i] = d.ID
	}
	n, err := tx.CountDevicesOutside(mine, ids)
	if err == nil && n > 0 {
		err = refusal.BeyondReach()
	}
	return err
}

// settlingFrozen reports whether nothing is settled.
func settlingFrozen(tx Reads) (bool, error) {
	list, err := tx.Freezes()
	for _, f := range list {
		if f.What == store.FreezeAll {
			return true, err
		}
	}
	return false, err
}
