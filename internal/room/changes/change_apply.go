package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// ApplyChange makes every edit of a change, for all devices at once, in one transaction. When it would do something
// else by now than whoever asks has seen, nothing is done. Where a second person must approve and has not, the change
// waits for one instead.
func (s *Service) ApplyChange(
	ctx context.Context, who rights.Identity, name string, asking Asking,
) (ChangeWithEdits, error) {
	var out ChangeWithEdits
	c := &store.Change{}
	a := attempt{act: uow.ByOperator(operation.ApplyChange, who, name), asking: asking}
	a.first = s.openChange(&a, c, true)
	a.make = func(tx Records, w *uow.Work) error {
		return s.carriesOut(*c, "to all devices at once")(tx, w)
	}
	a.waits = func(tx Records, w *uow.Work, x *weighed) error { return s.mustWait(tx, w, c, x) }
	err := s.passAnd(ctx, &a, func(tx Records) (err error) {
		out, err = readChange(tx, name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

// passAnd is [Service.pass], and reads something at the end of the transaction.
func (s *Service) passAnd(ctx context.Context, a *attempt, read func(tx Records) error) error {
	waits, made, goes := a.waits, a.make, a.goes
	a.waits = func(tx Records, w *uow.Work, x *weighed) error {
		if err := waits(tx, w, x); err != nil {
			return err
		}
		return read(tx)
	}
	a.goes = func(tx Records, w *uow.Work, x *weighed) error {
		do := func() error { return made(tx, w) }
		if goes != nil {
			do = func() error { return goes(tx, w, x) }
		}
		if err := do(); err != nil {
			return err
		}
		return read(tx)
	}
	return s.pass(ctx, a)
}

// openChange locks the change of an attempt, and gives what somebody agreed to of it. New says that no rollout of it
// may be under way.
func (s *Service) openChange(
	a *attempt, c *store.Change, isNew bool,
) func(tx Records, w *uow.Work) (*gate.Agreement, error) {
	a.whole = true
	return func(tx Records, w *uow.Work) (*gate.Agreement, error) {
		var err error
		if *c, err = tx.LockChange(w.Object()); err != nil {
			return nil, err
		}
		if err := mustBeOpen(*c); err != nil {
			return nil, err
		}
		if isNew {
			if err := notUnderWay(tx, *c, "resume it, or revert it"); err != nil {
				return nil, err
			}
		}
		records, err := tx.ChangeEdits(c.ID)
		if err != nil {
			return nil, err
		}
		edits, err := editsOf(records)
		if err != nil {
			return nil, err
		}
		a.what = edits
		if err := mayGoByRules(tx, w.Who(), edits); err != nil {
			return nil, err
		}
		if c.Reason == "" {
			c.Reason = strings.TrimSpace(a.asking.Reason)
		}
		a.asking.Reason = c.Reason
		if c.State != store.ChangeApproved {
			return nil, nil
		}
		access, err := tx.Agreement(c.ID)
		return &gate.Agreement{Access: access, Needs: c.Needs}, err
	}
}

// mustWait has a change wait for a second person. One that somebody agreed to, and that opens more by now, is a draft
// again.
func (s *Service) mustWait(tx Records, w *uow.Work, c *store.Change, x *weighed) error {
	if c.State == store.ChangeApproved && len(x.Judgement.Newcomers) > 0 {
		return s.lapse(tx, w, c, x.Judgement.Newcomers)
	}
	return s.askApproval(tx, w, c, x)
}

// carriesOut is [Service.carryOut] of a change as it is now, which may be done twice.
func (s *Service) carriesOut(c store.Change, how string) func(tx Records, w *uow.Work) error {
	return func(tx Records, w *uow.Work) error {
		again := c
		return s.carryOut(tx, w, &again, how)
	}
}

// carryOut makes the edits of a change, and closes it; how says how it went out.
func (s *Service) carryOut(tx Records, w *uow.Work, c *store.Change, how string) error {
	records, err := tx.ChangeEdits(c.ID)
	if err != nil {
		return err
	}
	if len(records) == 0 {
		return refusal.New(refusal.Conflict, "the change %q has no edits; there is nothing to apply", c.Name).
			WithCode("nothing_to_apply")
	}
	now, err := versions(tx, records)
	if err != nil {
		return err
	}
	if moved := conflicts(records, now); len(moved) > 0 {
		return refusal.New(refusal.Stale, "somebody else altered %s since the change was based on it; look at the "+
			"difference and choose: edit it again, or take the edit out", strings.Join(moved, ", ")).
			WithCode("edit_conflict")
	}
	what := []string{}
	for _, r := range records {
		e, err := r.Edit()
		if err != nil {
			return err
		}
		undo, err := s.undoOf(tx, e)
		if err != nil {
			return s.explain(err, e)
		}
		part := w.Nested(w.Act().As(actions[e.Kind]).On(e.Name).Because(c.Reason))
		if err := s.applyEdit(tx, part, e); err != nil {
			return s.explain(err, e)
		}
		if err := tx.SetUndo(c.ID, r.Type, r.Name, undo); err != nil {
			return err
		}
		w.Join(part)
		what = append(what, fmt.Sprintf("%s %s", e.Kind, e.Name))
	}
	c.State, c.ClosedAt = store.ChangeDone, new(s.Now())
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	w.Explain(c.Reason)
	w.After = map[string]any{"edits": what}
	return s.recordChange(tx, w, *c, changeApplied, how)
}

// actions are what the trail calls the edits.
var actions = map[change.Kind]string{
	change.Publish: "policy.published", change.Assign: "assignment.changed", change.Withdraw: "assignment.removed",
	change.Group: "group.changed", change.DropGroup: "group.removed",
}

// explain says which edit was refused.
func (s *Service) explain(err error, e change.Edit) error {
	err = refusal.Named(err, string(e.Kind.Type()), e.Name)
	var refused *refusal.Error
	if errors.As(err, &refused) {
		said := *refused
		said.Message = fmt.Sprintf("%s %s: %s", e.Kind, e.Name, refused.Message)
		said.Place = ""
		return &said
	}
	return err
}

// applyEdit makes one edit over the version that it was based on.
func (s *Service) applyEdit(tx Records, w *uow.Work, e change.Edit) error {
	switch e.Kind {
	case change.Publish:
		return s.applyDocument(tx, w, e)
	case change.Assign:
		if e.BasedOn == 0 {
			w.Call("assignment.made")
			_, err := s.addAssignment(tx, w, *e.Aimed())
			return err
		}
		_, err := s.changeAssignment(tx, w, *e.Aimed(), e.BasedOn)
		return err
	case change.Withdraw:
		return removeAssignment(tx, w, e.Name, e.BasedOn)
	case change.Group:
		return s.applyGroup(tx, w, e)
	}
	g, err := tx.Group(e.Name)
	if err != nil {
		return err
	}
	return devicegroups.Remove(tx, w, g, e.BasedOn)
}

// applyDocument publishes a document: the next revision of a policy, or a new one.
func (s *Service) applyDocument(tx Records, w *uow.Work, e change.Edit) error {
	doc, err := s.Documents.Parse(e.Document)
	if err != nil {
		return err
	}
	now := s.Now()
	if e.BasedOn == 0 {
		p := store.Policy{ID: store.NewID(now), Name: doc.Name, Title: doc.Title, Source: e.Document, Version: 1,
			CreatedAt: now, UpdatedAt: now, UpdatedBy: w.Who().Name}
		if err := tx.AddPolicy(p); err != nil {
			return err
		}
		_, err := s.release(tx, w, &p, 1)
		return err
	}
	p, err := tx.Policy(e.Name)
	if err != nil {
		return err
	}
	p.Title, p.Source, p.UpdatedAt, p.UpdatedBy = doc.Title, e.Document, now, w.Who().Name
	_, err = s.release(tx, w, &p, e.BasedOn)
	return err
}

// applyGroup creates a group, or makes one what the edit says.
func (s *Service) applyGroup(tx Records, w *uow.Work, e change.Edit) error {
	keys, err := devicegroups.DeviceKeys(e.Group.Devices, planning.MaxGroupDevices)
	if err != nil {
		return err
	}
	if keys, err = tx.CurrentNames(keys); err != nil {
		return err
	}
	if e.BasedOn == 0 && !e.Group.Amend {
		w.Call("group.made")
		_, err := devicegroups.Add(tx, w, e.Name, *e.Group, keys)
		return err
	}
	g, err := tx.Group(e.Name)
	if err != nil {
		return err
	}
	c := devicegroups.Edit{Description: &e.Group.Description}
	var add, remove []string
	if e.Group.Amend {
		c.Add, c.Remove = e.Group.Add, e.Group.Remove
		if err := devicegroups.CheckEdit(g, c); err != nil {
			return err
		}
		return devicegroups.Change(tx, w, &g, c, folded(c.Add), folded(c.Remove), e.BasedOn)
	}
	if e.Group.Rule != "" || g.Rule != "" {
		c.Rule = &e.Group.Rule
		if err := devicegroups.CheckEdit(g, c); err != nil {
			return err
		}
	} else {
		listed, err := tx.GroupList(g.ID)
		if err != nil {
			return err
		}
		slices.Sort(listed)
		slices.Sort(keys) // as Go sorts them
		add, remove = missingFrom(keys, listed), missingFrom(listed, keys)
		c.Add, c.Remove = add, remove
	}
	return devicegroups.Change(tx, w, &g, c, add, remove, e.BasedOn)
}

// missingFrom are those of a list that a sorted one does not have.
func missingFrom(list, sorted []string) (missing []string) {
	for _, x := range list {
		if _, found := slices.BinarySearch(sorted, x); !found {
			missing = append(missing, x)
		}
	}
	return missing
}
