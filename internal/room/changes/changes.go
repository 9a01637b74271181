package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// What the history of a change tells of.
const (
	changeCreated  = "created"
	changeEdited   = "edited"
	changeRemoved  = "edit_removed"
	changeRetitled = "retitled"
	changeAsked    = "approval_requested"
	changeApproved = "approved"
	changeRefused  = "refused"
	changeLapsed   = "approval_lapsed"
	changeApplied  = "applied"
	changeDropped  = "dropped"
	changeStarted  = "rollout_started"
	changeResumed  = "rollout_resumed"
)

// ChangeWithEdits is a change with its edits and what is in their way.
type ChangeWithEdits struct {
	store.Change
	Edits   []EditState
	Problem string // the first edit that cannot be made now, in words; empty when all can
	Rollout string // state of its rollout, while that has not ended; empty for none
	Waves   bool   // it goes out in waves, or did
	Writers []string
}

// IsOf reports whether somebody wrote a part of it or asked for it to go out, so that somebody else approves it.
func (c ChangeWithEdits) IsOf(name string) bool {
	return c.CreatedBy == name || c.AskedBy == name || slices.Contains(c.Writers, name)
}

// EditState is an edit of a change as it stands.
type EditState struct {
	change.Edit
	EditedBy string
	Version  int64            // of the change, once the edit was in it
	Record   store.ChangeEdit // the edit as it is stored
	Now      int64            // version that the thing has now, 0 when it does not exist
}

// HasConflict reports whether somebody else altered the thing since the edit was based on it.
func (e EditState) HasConflict() bool { return e.Now != e.BasedOn }

// Changes lists a page, the latest altered first.
func (s *Service) Changes(
	ctx context.Context, states []string, search string, p store.Page,
) ([]store.ChangeCount, string, error) {
	for _, state := range states {
		if !slices.Contains(store.ChangeStates, store.ChangeState(state)) {
			return nil, "", refusal.Unknown("state", state, store.ChangeStates)
		}
	}
	return s.Read(ctx).ListChanges(states, search, p)
}

// Change finds one by name, with its edits.
func (s *Service) Change(ctx context.Context, name string) (ChangeWithEdits, error) {
	var c ChangeWithEdits
	err := s.Snapshot(ctx, func(tx Reads) (err error) {
		c, err = readChange(tx, name)
		return err
	})
	return c, refusal.Named(err, "change", name)
}

func readChange(tx Reads, name string) (ChangeWithEdits, error) {
	record, err := tx.Change(name)
	c := ChangeWithEdits{Change: record, Edits: []EditState{}}
	if err != nil {
		return c, err
	}
	records, err := tx.ChangeEdits(record.ID)
	if err != nil {
		return c, err
	}
	now, err := versions(tx, records)
	if err != nil {
		return c, err
	}
	for _, r := range records {
		e, err := r.Edit()
		if err != nil {
			return c, err
		}
		c.Edits = append(c.Edits, EditState{Edit: e, EditedBy: r.EditedBy, Version: r.Version, Record: r, Now: now(r)})
	}
	if c.Writers, err = tx.ChangeAuthors(record.ID); err != nil {
		return c, err
	}
	switch r, err := tx.Rollout(name); {
	case errors.Is(err, store.ErrNotFound):
	case err != nil:
		return c, err
	default:
		c.Waves = true
		if r.EndedAt == nil {
			c.Rollout = string(r.State)
		}
	}
	if c.State.IsOpen() {
		c.Problem, err = problemOf(tx, c.Edits)
	}
	return c, err
}

// problemOf says which edit cannot be made, in words; empty when all can. Nothing but names is looked at.
func problemOf(tx Reads, edits []EditState) (string, error) {
	in, err := names(tx)
	if err != nil {
		return "", err
	}
	judged := make([]change.Step, len(edits))
	for i := range edits {
		judged[i] = change.ByName(edits[i].Edit)
	}
	if wrong := change.Check(in, judged); wrong != nil {
		return wrong.Error(), nil
	}
	return "", nil
}

// NewChange starts an empty draft.
func (s *Service) NewChange(
	ctx context.Context, who rights.Identity, name, title, reason string,
) (store.Change, error) {
	if !policy.ValidName(name) {
		return store.Change{}, refusal.New(refusal.Invalid, "%q cannot name a change; use %s", name, policy.NameRule).
			At("name")
	}
	if err := checkProse(title, reason); err != nil {
		return store.Change{}, err
	}
	now := s.Now()
	c := store.Change{
		ID:        store.NewID(now),
		Name:      name,
		Title:     title,
		Reason:    reason,
		State:     store.ChangeDraft,
		Version:   1,
		CreatedAt: now,
		CreatedBy: who.Name,
		UpdatedAt: now,
		Needs:     []string{},
	}
	err := s.Do(ctx, uow.ByOperator(operation.CreateChange, who, name),
		func(tx Records, w *uow.Work) error {
			if err := tx.AddChange(c); err != nil {
				return err
			}
			w.After = map[string]any{"title": title, "reason": reason}
			return s.recordChange(tx, w, c, changeCreated, "")
		})
	return c, refusal.Named(err, "change", name)
}

func checkProse(title, reason string) error {
	for place, s := range map[string]string{"title": title, "reason": reason} {
		if err := text.CheckProse(s); err != nil {
			return refusal.New(refusal.Invalid, "the %s %v", place, err).At(place)
		}
	}
	return nil
}

// recordChange adds a line to the history of a change, and has it told.
func (s *Service) recordChange(tx Records, w *uow.Work, c store.Change, what, detail string) error {
	w.Tell(store.TopicEdits, c.Name)
	return tx.AddChangeEvent(
		store.ChangeEvent{ChangeID: c.ID, At: s.Now(), Who: w.Who().Name, What: what, Detail: detail},
	)
}

// alter does something to an open change in one transaction: it is a draft again afterwards, and whatever was approved
// of it no longer is.
func (s *Service) alter(
	ctx context.Context, who rights.Identity, op *operation.Operation, name string, over int64, what string,
	do func(tx Records, w *uow.Work, c *store.Change) (detail string, err error),
) (ChangeWithEdits, error) {
	var out ChangeWithEdits
	err := s.Do(ctx, uow.ByOperator(op, who, name), func(tx Records, w *uow.Work) error {
		c, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		if err := mustBeOpen(c); err != nil {
			return err
		}
		if err := mayBeEdited(tx, &c); err != nil {
			return err
		}
		if over != 0 && over != c.Version {
			return store.ErrStale
		}
		detail, err := do(tx, w, &c)
		if err != nil {
			return err
		}
		lapsed := c.State == store.ChangeWaiting || c.State == store.ChangeApproved
		if lapsed || c.State == store.ChangeGoingOut {
			toDraft(&c)
		}
		c.Version, c.UpdatedAt = c.Version+1, s.Now()
		if err := tx.SetChange(c, c.Version-1); err != nil {
			return err
		}
		if err := s.recordChange(tx, w, c, what, detail); err != nil {
			return err
		}
		if lapsed {
			if err := s.recordChange(tx, w, c, changeLapsed, "the change was edited"); err != nil {
				return err
			}
		}
		out, err = readChange(tx, name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

func toDraft(c *store.Change) {
	c.State, c.AskedBy, c.Preview, c.Needs = store.ChangeDraft, "", "", []string{}
}

func mustBeOpen(c store.Change) error {
	if c.State.IsOpen() {
		return nil
	}
	return refusal.New(refusal.Conflict, "the change %q is %s and cannot be altered; start another one", c.Name,
		c.State).
		WithCode("change_closed")
}

// DescribeChange gives a change another title and reason, over the version its author read.
func (s *Service) DescribeChange(
	ctx context.Context, who rights.Identity, name, title, reason string, over int64,
) (ChangeWithEdits, error) {
	if err := checkProse(title, reason); err != nil {
		return ChangeWithEdits{}, err
	}
	return s.alter(ctx, who, operation.EditChange, name, over, changeRetitled,
		func(_ Records, w *uow.Work, c *store.Change) (string, error) {
			w.Before = map[string]any{"title": c.Title, "reason": c.Reason}
			c.Title, c.Reason = title, reason
			w.After = map[string]any{"title": title, "reason": reason}
			return "", nil
		})
}

// PutEdit adds an edit to a change, or puts it in the place of that of the same thing. Over is the version of the edit
// of the same thing that its author read, 0 when there was none; nil takes the place of whatever is there. Problems are
// the warnings of a document.
func (s *Service) PutEdit(
	ctx context.Context, who rights.Identity, name string, e change.Edit, over *int64,
) (ChangeWithEdits, []policy.Problem, error) {
	made, problems, err := s.prepare(s.Read(ctx), &e, nil)
	if err != nil {
		return ChangeWithEdits{}, problems, err
	}
	out, err := s.alter(ctx, who, operation.AddEdit, name, 0, changeEdited,
		func(tx Records, w *uow.Work, c *store.Change) (string, error) {
			records, err := tx.ChangeEdits(c.ID)
			if err != nil {
				return "", err
			}
			place := slices.IndexFunc(records, func(r store.ChangeEdit) bool {
				return r.Type == string(e.Kind.Type()) && r.Name == e.Name
			})
			if err := fits(tx, records, place, made); err != nil {
				return "", err
			}
			if err := replaces(records, place, e.Name, over); err != nil {
				return "", err
			}
			record, err := store.NewChangeEdit(c.ID, e)
			if err != nil {
				return "", err
			}
			record.EditedAt, record.EditedBy, record.Version = s.Now(), who.Name, c.Version+1
			w.After = map[string]any{"edit": e.Kind, "name": e.Name, "based_on": e.BasedOn}
			return fmt.Sprintf("%s %s", e.Kind, e.Name), tx.PutChangeEdit(record)
		})
	return out, problems, err
}

// replaces refuses an edit that would take the place of one which its author has not read; at is where that stands
// among the edits of the change, -1 when there is none.
func replaces(records []store.ChangeEdit, at int, name string, over *int64) error {
	switch {
	case over == nil, at < 0 && *over == 0:
		return nil
	case at < 0:
		return refusal.New(
			refusal.Stale,
			"the edit of %s that you read was taken out of the change; read the change again",
			name,
		)
	case records[at].Version != *over:
		return refusal.New(refusal.Stale, "%s edited %s in this change meanwhile; read the change again, then decide",
			records[at].EditedBy, name)
	}
	return nil
}

// fits refuses an edit that cannot be made after those of the change that come before it. Place is where the edit of
// the same thing stands, -1 when there is none and it comes last.
func fits(tx Records, records []store.ChangeEdit, place int, made change.Step) error {
	if place < 0 {
		place = len(records)
	}
	in, err := names(tx)
	if err != nil {
		return err
	}
	var before []change.Step
	for _, r := range records[:place] {
		earlier, err := r.Edit()
		if err != nil {
			return err
		}
		before = append(before, change.ByName(earlier))
	}
	if place == MaxEdits {
		return refusal.New(
			refusal.Conflict,
			"the change has %d edits, which is the most that one can have; apply it, or start another one",
			MaxEdits,
		)
	}
	if wrong := change.Check(in, append(before, made)); wrong != nil && wrong.Index == len(before) {
		return refuseEdit(wrong)
	}
	return nil
}

// RemoveEdit takes the edit of a thing out of a change.
func (s *Service) RemoveEdit(
	ctx context.Context, who rights.Identity, name string, typ change.Type, thing string,
) (ChangeWithEdits, error) {
	return s.alter(ctx, who, operation.DeleteEdit, name, 0, changeRemoved,
		func(tx Records, w *uow.Work, c *store.Change) (string, error) {
			w.Before = map[string]any{"type": typ, "name": thing}
			err := tx.RemoveChangeEdit(c.ID, string(typ), thing)
			return fmt.Sprintf("%s %s", typ, thing), refusal.Named(err, "edit of the "+string(typ), thing)
		})
}

// DropChange closes a change without any of its edits having been made.
func (s *Service) DropChange(ctx context.Context, who rights.Identity, name, reason string) (ChangeWithEdits, error) {
	return s.alter(ctx, who, operation.DropChange, name, 0, changeDropped,
		func(tx Records, w *uow.Work, c *store.Change) (string, error) {
			if err := notUnderWay(tx, *c, "revert it instead"); err != nil {
				return "", err
			}
			c.State, c.ClosedAt = store.ChangeDropped, new(s.Now())
			w.Explain(strings.TrimSpace(reason))
			return w.Reason(), nil
		})
}

// ChangeHistory lists a page of what happened to a change, newest first. Devices are named only to those whose reach is
// everywhere.
func (s *Service) ChangeHistory(
	ctx context.Context, who rights.Identity, name string, p store.Page,
) ([]store.ChangeEvent, string, error) {
	db := s.Read(ctx)
	c, err := db.Change(name)
	if err != nil {
		return nil, "", refusal.Named(err, "change", name)
	}
	list, next, err := db.ListChangeEvents(c.ID, p)
	if !who.Reach(rights.Look).Everywhere() {
		for i := range list {
			if list[i].What == changeLapsed {
				list[i].Detail = "the preview no longer holds"
			}
		}
	}
	return list, next, err
}
