package changes

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// direct makes one edit at once: a change of its own, named after the edit, that goes through the door like any other.
// Where somebody else must agree first, the change waits, and the error says so.
func (s *Service) direct(
	ctx context.Context, who rights.Identity, op *operation.Operation, e change.Edit, asking Asking,
) error {
	now := s.Now()
	c := store.Change{
		ID: store.NewID(now), Title: titleOf(e), Reason: strings.TrimSpace(asking.Reason), State: store.ChangeDraft,
		Version: 1, CreatedAt: now, CreatedBy: who.Name, UpdatedAt: now, Needs: []string{},
	}
	if err := checkProse(c.Title, c.Reason); err != nil {
		return err
	}
	record, err := store.NewChangeEdit(c.ID, e)
	if err != nil {
		return err
	}
	record.EditedAt, record.EditedBy, record.Version = now, who.Name, 1
	a := attempt{act: uow.ByOperator(op, who, e.Name), asking: asking, what: []change.Edit{e}}
	a.first = func(tx Records, w *uow.Work) (*gate.Agreement, error) {
		return nil, mayGoByRules(tx, w.Who(), []change.Edit{e})
	}
	a.make = func(tx Records, w *uow.Work) error { return s.applyEdit(tx, w, e) }
	a.goes = func(tx Records, w *uow.Work, _ *weighed) error {
		if err := s.begin(tx, w, &c, record); err != nil {
			return err
		}
		undo, err := s.undoOf(tx, e)
		if err != nil {
			return err
		}
		if err := a.make(tx, w); err != nil {
			return err
		}
		if err := tx.SetUndo(c.ID, string(e.Kind.Type()), e.Name, undo); err != nil {
			return err
		}
		c.State, c.ClosedAt, c.Version = store.ChangeDone, &now, c.Version+1
		if err := tx.SetChange(c, c.Version-1); err != nil {
			return err
		}
		return s.recordChange(tx, w, c, changeApplied, "to all devices at once")
	}
	waits := false
	a.waits = func(tx Records, w *uow.Work, x *weighed) error {
		waits = true
		if err := s.begin(tx, w, &c, record); err != nil {
			return err
		}
		w.SetObject(c.Name)
		return s.askApproval(tx, w, &c, x)
	}
	err = s.pass(ctx, &a)
	if err == nil && waits {
		return errWaits(c.Name, c.Needs)
	}
	return refusal.Named(err, string(e.Kind.Type()), e.Name)
}

// begin stores a change of one edit.
func (s *Service) begin(tx Records, w *uow.Work, c *store.Change, record store.ChangeEdit) error {
	var err error
	if c.Name, err = nameAfter(tx, record.Name); err != nil {
		return err
	}
	if err := tx.AddChange(*c); err != nil {
		return refusal.Named(err, "change", c.Name)
	}
	if err := tx.PutChangeEdit(record); err != nil {
		return err
	}
	return s.recordChange(tx, w, *c, changeCreated, "")
}

// longestName is how much of the name of a thing its changes have, so that a number fits behind it.
const longestName = 56

// nameAfter names a change after a thing: the name itself, or the first number behind it that is free.
func nameAfter(tx Records, thing string) (string, error) {
	thing = thing[:min(len(thing), longestName)]
	taken, err := tx.NumberedChanges(thing)
	if err != nil || len(taken) == 0 {
		return thing, err
	}
	last := 1
	for _, name := range taken {
		if n, err := strconv.Atoi(strings.TrimPrefix(name, thing+"-")); err == nil {
			last = max(last, n)
		}
	}
	return fmt.Sprintf("%s-%d", thing, last+1), nil
}

var titles = map[change.Kind]string{
	change.Publish: "Publish the policy %s", change.Assign: "Aim the assignment %s",
	change.Withdraw: "Withdraw the assignment %s", change.Group: "Edit the group %s",
	change.DropGroup: "Remove the group %s",
}

func titleOf(e change.Edit) string { return fmt.Sprintf(titles[e.Kind], e.Name) }
