package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// RevertChange drafts the opposite of a change that went out: a change of its own, which is looked at and goes out like
// any other. Where somebody altered the same things since, the draft says so.
func (s *Service) RevertChange(ctx context.Context, who rights.Identity, name, reason string) (ChangeWithEdits, error) {
	if err := checkProse("", reason); err != nil {
		return ChangeWithEdits{}, err
	}
	var out ChangeWithEdits
	err := s.Do(ctx, uow.ByOperator(operation.RevertChange, who, name), func(tx Records, w *uow.Work) error {
		former, err := tx.Change(name)
		if err != nil {
			return err
		}
		if former.State != store.ChangeDone {
			return refusal.New(refusal.Conflict,
				"the change %q is %s; only one that went out can be taken back this way", name, former.State).
				WithCode("not_done")
		}
		records, err := tx.ChangeEdits(former.ID)
		if err != nil {
			return err
		}
		edits := []change.Edit{}
		for _, r := range slices.Backward(records) {
			e, err := undoing(r)
			if errors.Is(err, errNoUndo) {
				continue
			}
			if err != nil {
				return err
			}
			edits = append(edits, e)
		}
		if len(edits) == 0 {
			return refusal.New(refusal.Conflict,
				"nothing that the change %q did can be taken back: a new policy stays, and does nothing without an "+
					"assignment", name).WithCode("nothing_to_revert")
		}
		now := s.Now()
		c := store.Change{
			ID: store.NewID(now), Title: "Take back " + name, Reason: strings.TrimSpace(reason),
			State: store.ChangeDraft, Version: 1, CreatedAt: now, CreatedBy: who.Name, UpdatedAt: now,
			Needs: []string{},
		}
		if c.Name, err = nameAfter(tx, "revert-"+name); err != nil {
			return err
		}
		if err := tx.AddChange(c); err != nil {
			return refusal.Named(err, "change", c.Name)
		}
		if err := s.addEdits(tx, c, edits, who); err != nil {
			return err
		}
		w.After = map[string]any{"change": c.Name, "edits": len(edits)}
		if err := s.recordChange(tx, w, c, changeCreated, "takes back "+name); err != nil {
			return err
		}
		out, err = readChange(tx, c.Name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

// addEdits puts edits into a new change, based on what their things are now.
func (s *Service) addEdits(tx Records, c store.Change, edits []change.Edit, who rights.Identity) error {
	records := make([]store.ChangeEdit, len(edits))
	for i, e := range edits {
		var err error
		if records[i], err = store.NewChangeEdit(c.ID, e); err != nil {
			return err
		}
	}
	now, err := versions(tx, records)
	if err != nil {
		return err
	}
	for i, r := range records {
		edits[i].BasedOn = now(r)
		record, err := store.NewChangeEdit(c.ID, edits[i])
		if err != nil {
			return fmt.Errorf("taking back %s: %w", edits[i].Name, err)
		}
		record.EditedAt, record.EditedBy, record.Version = s.Now(), who.Name, 1
		if err := tx.PutChangeEdit(record); err != nil {
			return err
		}
	}
	return nil
}
