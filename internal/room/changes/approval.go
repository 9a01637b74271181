package changes

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Approvals say which changes need a second person. The zero Approvals asks for none.
type Approvals struct {
	AddedAdministrators   bool // principals are added to administrators
	RemovedAdministrators int  // members leave administrators on this many devices or more; 0 for never
	Everything            bool // an assignment is aimed at everything at once
	AllAtOnce             bool // a change goes to all of its devices at once, without waves
}

// addedTo are the principals that a change adds to a local group: by what is desired, and by what it does to devices
// that have something else.
func addedTo(id unit.ID, p *Preview) []string {
	var added []string
	for _, ref := range p.Joining[id] {
		if id != unit.Administrators || ref != principal.Administrator { // the operating system keeps it there
			added = append(added, ref.String())
		}
	}
	for _, sum := range p.Sums {
		if sum.Kind == effect.MemberJoins && sum.Unit == id {
			added = append(added, sum.Subject)
		}
	}
	return text.Set(added)
}

// alsoNeeds are the needs of a change for how it goes out, beside those of what it does.
func (a Approvals) alsoNeeds(needs []string, atOnce bool) []string {
	if a.AllAtOnce && atOnce {
		return append(slices.Clone(needs), "it goes to all of its devices at once")
	}
	return needs
}

// needs says why a second person must approve, in words.
func (a Approvals) needs(p *Preview, f *futures) []string {
	needs := []string{}
	if a.AddedAdministrators {
		for _, id := range unit.Privileged() {
			if added := addedTo(id, p); len(added) > 0 {
				needs = append(needs, "it adds to "+present.Unit(id)+": "+strings.Join(added, ", "))
			}
		}
	}
	if a.RemovedAdministrators > 0 && p.Leaving >= a.RemovedAdministrators {
		needs = append(
			needs,
			fmt.Sprintf("members leave administrators on %d or more devices", a.RemovedAdministrators),
		)
	}
	if a.Everything {
		for _, x := range f.reaching() {
			if x.Stance == assign.Enforce && slices.Contains(x.Include, assign.Everything) && len(x.Within) == 0 {
				needs = append(needs, "the assignment "+x.Name+" is aimed at everything at once")
			}
		}
	}
	return needs
}

// digestOf is what somebody approves or applies: the edits, what they do to whom, and on how many devices somebody
// loses access. That one more device gets a longer password is no reason to look again; that one more loses an
// administrator is.
func digestOf(c ChangeWithEdits, p *Preview) string {
	type line struct {
		What, Unit, Subject string
		Devices             int
	}
	var content struct {
		Edits []store.ChangeEdit
		Sums  []line
		Needs []string
	}
	for _, e := range c.Edits {
		content.Edits = append(content.Edits, store.ChangeEdit{Type: e.Record.Type, Name: e.Name, Kind: string(e.Kind),
			Body: e.Record.Body, BasedOn: e.BasedOn, Position: e.Record.Position})
	}
	for _, sum := range p.Sums {
		l := line{What: string(sum.Kind), Unit: sum.Unit.String(), Subject: sum.Subject}
		if sum.TakesAway() {
			l.Devices = sum.Devices
		}
		content.Sums = append(content.Sums, l)
	}
	content.Needs = p.Needs
	data, err := json.Marshal(content)
	if err != nil {
		return "" // plain text and numbers
	}
	sum := sha256.Sum256(data)
	return "sha-256:" + hex.EncodeToString(sum[:])
}

// askApproval has a change wait for a second person.
func (s *Service) askApproval(tx Records, w *uow.Work, c *store.Change, seen *Preview) error {
	if c.State == store.ChangeWaiting && c.Preview == seen.Digest {
		return refusal.New(refusal.Conflict, "the change %q waits already for a second person; %s asked for it", c.Name,
			c.AskedBy).
			WithCode("waits_for_approval")
	}
	w.Call("change.approval_requested")
	c.State, c.AskedBy, c.Preview, c.Needs = store.ChangeWaiting, w.Who().Name, seen.Digest, seen.Needs
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	w.After = map[string]any{"needs": seen.Needs, "preview": seen.Digest}
	return s.recordChange(tx, w, *c, changeAsked, strings.Join(seen.Needs, "; "))
}

// lapse takes back an approval, because the change would do something else by now.
func (s *Service) lapse(tx Records, w *uow.Work, c *store.Change) error {
	w.Call("change.approval_lapsed")
	toDraft(c)
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	return s.recordChange(tx, w, *c, changeLapsed, "the preview no longer holds")
}

// DecideChange approves or refuses what waits for a second person. Digest is that of the preview which they have seen;
// the approval lapses when it is no longer the one that was asked for. Whoever asked for it or made an edit cannot
// approve.
func (s *Service) DecideChange(
	ctx context.Context, who rights.Identity, name string, approve bool, reason, digest string,
) (ChangeWithEdits, error) {
	act := uow.ByOperator(operation.DecideChange, who, name).As("change.refused").Because(reason)
	if approve {
		act = act.As("change.approved")
	}
	if err := s.Allowed(ctx, act); err != nil {
		return ChangeWithEdits{}, err
	}
	if strings.TrimSpace(reason) == "" && !approve {
		return ChangeWithEdits{}, refusal.New(refusal.Invalid, "say why the change is refused, for its authors").
			At("reason")
	}
	seen, err := s.official(ctx, name)
	if err != nil {
		return ChangeWithEdits{}, err
	}
	var out ChangeWithEdits
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		c, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		if err := mayDecide(tx, who, c, seen); err != nil {
			return err
		}
		if approve && digest != seen.Digest {
			return errPreviewMoved(name)
		}
		if approve && seen.Digest != c.Preview {
			if err := s.lapse(tx, w, &c); err != nil {
				return err
			}
			out, err = readChange(tx, name)
			return err
		}
		what := changeRefused
		if approve {
			c.State, what = store.ChangeApproved, changeApproved
		} else {
			toDraft(&c)
		}
		c.Version, c.UpdatedAt = c.Version+1, s.Now()
		if err := tx.SetChange(c, c.Version-1); err != nil {
			return err
		}
		w.After = map[string]any{"preview": seen.Digest}
		if err := s.recordChange(tx, w, c, what, strings.TrimSpace(reason)); err != nil {
			return err
		}
		out, err = readChange(tx, name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

func mayDecide(tx Records, who rights.Identity, c store.Change, seen *Preview) error {
	switch {
	case c.State != store.ChangeWaiting:
		return refusal.New(refusal.Conflict, "the change %q is %s; there is nothing to approve", c.Name, c.State).
			WithCode("nothing_to_approve")
	case c.Version != seen.Version:
		return store.ErrStale
	case c.AskedBy == who.Name || c.CreatedBy == who.Name:
		return errOwnChange
	}
	authors, err := tx.ChangeAuthors(c.ID)
	if err == nil && slices.Contains(authors, who.Name) {
		err = errOwnChange
	}
	return err
}

var errOwnChange = refusal.New(refusal.Forbidden,
	"you wrote this change or asked for it, so somebody else must approve it").
	WithCode("own_change")
