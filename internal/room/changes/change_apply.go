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
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// ApplyChange makes every edit of a change, for all devices at once, in one transaction. Digest is that of the preview
// which its author has seen: when the change would do something else by now, nothing is done. Where a second person
// must approve and has not, the change waits for one instead.
func (s *Service) ApplyChange(ctx context.Context, who rights.Identity, name, digest string) (ChangeWithEdits, error) {
	act := uow.ByOperator(operation.ApplyChange, who, name)
	if err := s.Allowed(ctx, act); err != nil {
		return ChangeWithEdits{}, err
	}
	seen, err := s.official(ctx, name)
	if err != nil {
		return ChangeWithEdits{}, err
	}
	if digest != seen.Digest {
		return ChangeWithEdits{}, errPreviewMoved(name)
	}
	var out ChangeWithEdits
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		c, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		if err := notUnderWay(tx, c, "resume it, or revert it"); err != nil {
			return err
		}
		may, err := s.mayGoOut(tx, w, &c, seen, s.Approvals.alsoNeeds(seen.Needs, true))
		if err == nil && may {
			err = s.carryOut(tx, w, &c, "to all devices at once")
		}
		if err != nil {
			return err
		}
		out, err = readChange(tx, name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

func errPreviewMoved(name string) error {
	return refusal.New(refusal.Stale, "what the change %q would do is no longer what you saw; preview it again, and "+
		"apply that", name).
		WithCode("preview_changed")
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
		part := w.Nested(w.Act().As(actions[e.Kind]).On(e.Name).Because(c.Reason))
		if err := s.applyEdit(tx, part, e); err != nil {
			return s.explain(err, e)
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
	if e.BasedOn == 0 {
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
		slices.Sort(keys)
		keys = slices.Compact(keys)
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
