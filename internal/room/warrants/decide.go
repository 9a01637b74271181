package warrants

import (
	"context"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

const (
	waitsFor = 7 * 24 * time.Hour // somebody to agree
	endOnce  = 100                // that are ended in one transaction
)

// agreed has a warrant hold on its devices.
func (s *Service) agreed(
	tx Records, work *uow.Work, w *store.Warrant, devices []store.WarrantDevice, by string,
) (err error) {
	now := s.Now()
	if w.StartsAt == nil {
		w.StartsAt, w.EndsAt = &now, new(now.Add(w.Lasts()))
	}
	if !w.EndsAt.After(now) {
		return refusal.New(refusal.Conflict, "its time is over; have it asked for anew").WithCode("warrant_over")
	}
	w.State, w.DecidedBy, w.DecidedAt = store.WarrantAgreed, by, &now
	if w.People, err = peopleIn(tx, w.Principal); err != nil {
		return err
	}
	work.TellAdministrators(access(*w, idsOf(devices)))
	s.changed(work, *w, devices)
	return nil
}

// noteMembers keeps where the principal of a warrant that was agreed to is a member already.
func noteMembers(tx Records, w store.Warrant) error {
	if w.State != store.WarrantAgreed {
		return nil
	}
	id, err := unit.Parse(w.Unit)
	if err != nil {
		return err
	}
	ref, err := principal.Parse(w.Principal)
	if err != nil {
		return err
	}
	table, err := tx.DirectoryAround([]principal.Ref{ref})
	if err != nil {
		return err
	}
	sid, local := ref.SID(), ""
	switch {
	case ref.Kind() == principal.Local:
		local = ref.Value()
	case ref.Kind().InDirectory():
		sid, _ = table.SID(ref)
	}
	group, _ := id.LocalGroup()
	return tx.NoteMembers(w.ID, drift.WellKnown(group).String(), group, sid.String(), local)
}

// changed has the devices told.
func (s *Service) changed(work *uow.Work, w store.Warrant, devices []store.WarrantDevice) {
	work.Settle("warrant for "+w.Principal, nil, idsOf(devices))
}

// Decide agrees to a warrant that waits, or refuses it.
func (s *Service) Decide(ctx context.Context, who rights.Identity, id string, agree bool, reason string) error {
	return s.alter(ctx, who, operation.DecideWarrant, id, reason,
		func(tx Records, work *uow.Work, w *store.Warrant, devices []store.WarrantDevice) error {
			if err := reach.Check(tx, who, rights.Deploy, idsOf(devices)); err != nil {
				return err
			}
			switch {
			case w.State != store.WarrantWaiting:
				return refusal.New(refusal.Conflict, "the warrant does not wait for anybody (%s)", w.State).
					WithCode("nothing_to_approve")
			case w.AskedByID == who.OperatorID || w.AskedBy == who.Name:
				return refusal.New(refusal.Forbidden, "you asked for this warrant, so somebody else must agree").
					WithCode("own_request")
			case agree:
				if err := s.agreed(tx, work, w, devices, who.Name); err != nil {
					return err
				}
				return noteMembers(tx, *w)
			}
			now := s.Now()
			w.State, w.DecidedBy, w.DecidedAt = store.WarrantRefused, who.Name, &now
			w.EndedBy, w.EndedAt = who.Name, &now
			return nil
		})
}

// TakeBack ends a warrant before its end. Whoever asked for it, agreed to it, or may deploy to its devices may.
func (s *Service) TakeBack(ctx context.Context, who rights.Identity, id, reason string) error {
	return s.alter(ctx, who, operation.TakeBackWarrant, id, reason,
		func(tx Records, work *uow.Work, w *store.Warrant, devices []store.WarrantDevice) error {
			if w.AskedByID != who.OperatorID && (w.DecidedBy == "" || w.DecidedBy != who.Name) {
				if err := reach.Check(tx, who, rights.Deploy, idsOf(devices)); err != nil {
					return err
				}
				if !who.May(rights.Deploy) {
					return uow.Lacking(who)
				}
			}
			if w.State != store.WarrantWaiting && w.State != store.WarrantAgreed {
				return refusal.New(refusal.Conflict, "the warrant has ended already (%s)", w.State).
					WithCode("warrant_over")
			}
			s.end(work, w, devices, store.WarrantTakenBack, who.Name)
			return nil
		})
}

// end ends a warrant that waits or was agreed to.
func (s *Service) end(
	work *uow.Work, w *store.Warrant, devices []store.WarrantDevice, state, by string,
) {
	if w.State == store.WarrantAgreed {
		lost := effect.AccessSet{}
		for e, on := range access(*w, idsOf(devices)) {
			e.Access = effect.AdministratorLost
			lost[e] = on
		}
		work.TellAdministrators(lost)
		s.changed(work, *w, devices)
	}
	now := s.Now()
	w.State, w.EndedBy, w.EndedAt = state, by, &now
}

// alter does something with a warrant. Whoever reaches only some of its devices sees it, and alters nothing.
func (s *Service) alter(
	ctx context.Context, who rights.Identity, op *operation.Operation, id, reason string,
	do func(tx Records, work *uow.Work, w *store.Warrant, devices []store.WarrantDevice) error,
) error {
	act := uow.ByOperator(op, who, id).Because(reason).ShowingAttempts()
	err := s.Do(ctx, act, func(tx Records, work *uow.Work) error {
		w, err := tx.LockWarrant(id)
		if err != nil {
			return err
		}
		if _, err := s.view(tx, who, w); err != nil {
			return err
		}
		all, err := tx.DevicesOfWarrants(rights.Everywhere, []string{id})
		if err != nil {
			return err
		}
		devices := all[id]
		if err := tx.LockDevices(idsOf(devices)); err != nil {
			return err
		}
		if err := do(tx, work, &w, devices); err != nil {
			return err
		}
		work.Tell(store.TopicEdits)
		work.After = told(w, devices)
		return tx.SetWarrant(w)
	})
	return refusal.Named(err, "warrant", id)
}

// EndDue ends those whose time is over, and those that nobody agreed to within a week. Their devices have taken the
// memberships away by then; they are told so that nothing is left in what is asked of them.
func (s *Service) EndDue(ctx context.Context) error {
	for {
		ended := 0
		err := s.Do(ctx, uow.ByService("warrant.ended", "warrants"), func(tx Records, work *uow.Work) error {
			now := s.Now()
			due, err := tx.DueWarrants(now, now.Add(-waitsFor), endOnce)
			if err != nil {
				return err
			}
			over := []map[string]any{}
			for _, w := range due {
				all, err := tx.DevicesOfWarrants(rights.Everywhere, []string{w.ID})
				if err != nil {
					return err
				}
				if w, err = tx.LockWarrant(w.ID); err != nil {
					return err
				}
				if w.State != store.WarrantWaiting && w.State != store.WarrantAgreed {
					continue // somebody ended it meanwhile
				}
				s.end(work, &w, all[w.ID], store.WarrantEnded, uow.Itself.Name)
				if err := tx.SetWarrant(w); err != nil {
					return err
				}
				work.Tell(store.TopicEdits)
				over = append(over, told(w, all[w.ID]))
			}
			if ended = len(due); len(over) == 0 {
				work.Quiet()
			}
			work.After = map[string]any{"warrants": over}
			return nil
		})
		if err != nil || ended < endOnce {
			return err
		}
	}
}
