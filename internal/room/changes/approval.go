package changes

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"rankwarden.example/core/change"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// digestOf is what somebody approves or applies: what is to be done, what that does, and each way in with its devices.
// That one more device gets a longer password is no reason to look again; that one more gets an administrator is.
func digestOf(what any, p *Preview) string {
	type line struct {
		What, Unit, Subject string
		Devices             int // of a way in, which follow in order
	}
	content := struct {
		What any
		Sums []line
		Ways []line
	}{What: what}
	for _, sum := range p.Sums {
		content.Sums = append(content.Sums, line{string(sum.Kind), effect.UnitName(sum.Unit), sum.Subject, 0})
	}
	ways := p.Access.Effects()
	for _, e := range ways {
		content.Ways = append(content.Ways, line{string(e.Access), effect.UnitName(e.Unit), e.Subject,
			len(p.Access[e])})
	}
	data, err := json.Marshal(content)
	if err != nil {
		return "" // plain text and numbers
	}
	sum := sha256.New()
	sum.Write(data)
	for _, e := range ways {
		for _, device := range slices.Sorted(maps.Keys(p.Access[e])) {
			io.WriteString(sum, device)
			sum.Write([]byte{0})
		}
	}
	return "sha-256:" + hex.EncodeToString(sum.Sum(nil))
}

// editsOf are the edits of a change as a digest has them.
func editsOf(records []store.ChangeEdit) ([]change.Edit, error) {
	edits := make([]change.Edit, len(records))
	for i, r := range records {
		var err error
		if edits[i], err = r.Edit(); err != nil {
			return nil, err
		}
	}
	return edits, nil
}

// askApproval has a change wait for a second person, who agrees to the ways in that it opens now.
func (s *Service) askApproval(tx Records, w *uow.Work, c *store.Change, x *weighed) error {
	if c.State == store.ChangeWaiting && c.Preview == x.Digest {
		return refusal.New(refusal.Conflict, "the change %q waits already for a second person; %s asked for it", c.Name,
			c.AskedBy).
			WithCode("waits_for_approval")
	}
	w.Call("change.approval_requested")
	c.State, c.AskedBy, c.Preview, c.Needs = store.ChangeWaiting, w.Who().Name, x.Digest, x.Judgement.Needs
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	if err := tx.PutAgreement(c.ID, x.Judgement.Asked); err != nil {
		return err
	}
	w.After = map[string]any{"needs": c.Needs, "preview": x.Digest}
	return s.recordChange(tx, w, *c, changeAsked, strings.Join(c.Needs, "; "))
}

// lapse takes back an approval, because the change would open more ways in by now. Who came is said.
func (s *Service) lapse(tx Records, w *uow.Work, c *store.Change, newcomers effect.AccessSet) error {
	w.Call("change.approval_lapsed")
	toDraft(c)
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	if err := tx.DropAgreement(c.ID); err != nil {
		return err
	}
	detail, err := s.whoCame(tx, newcomers)
	if err != nil {
		return err
	}
	w.After = map[string]any{"newcomers": detail}
	return s.recordChange(tx, w, *c, changeLapsed, detail)
}

// mostNamed is how many devices are named where they are told one by one.
const mostNamed = 10

// whoCame says which devices nobody has agreed to.
func (s *Service) whoCame(tx Records, newcomers effect.AccessSet) (string, error) {
	ids := newcomers.Devices()
	if len(ids) == 0 {
		return "the preview no longer holds", nil
	}
	facts, err := tx.LiveFacts(ids[:min(len(ids), mostNamed)])
	if err != nil {
		return "", err
	}
	names := make([]string, len(facts))
	for i, f := range facts {
		names[i] = f.Name
	}
	slices.Sort(names)
	more := ""
	if len(ids) > len(names) {
		more = fmt.Sprintf(" and %d more", len(ids)-len(names))
	}
	plural := "devices"
	if len(ids) == 1 {
		plural = "device"
	}
	return fmt.Sprintf("%d %s came since somebody was asked: %s%s", len(ids), plural, strings.Join(names, ", "),
		more), nil
}

// DecideChange approves or refuses what waits for a second person. Digest is that of the preview which they have seen;
// the approval lapses when more ways in are open by now than were asked for. Whoever asked for it or made an edit
// cannot approve, and neither can somebody who sees only a part of it.
func (s *Service) DecideChange(
	ctx context.Context, who rights.Identity, name string, approve bool, reason, digest string,
) (ChangeWithEdits, error) {
	act := uow.ByOperator(operation.DecideChange, who, name).As("change.refused").Because(strings.TrimSpace(reason))
	if approve {
		act = act.As("change.approved")
	}
	if strings.TrimSpace(reason) == "" && !approve {
		return ChangeWithEdits{}, refusal.New(refusal.Invalid, "say why the change is refused, for its authors").
			At("reason")
	}
	var out ChangeWithEdits
	err := s.atTheDoor(ctx, act, func(tx Records, w *uow.Work) error {
		c, err := tx.LockChange(name)
		if err != nil {
			return err
		}
		if err := mayDecide(tx, who, c); err != nil {
			return err
		}
		if approve {
			err = s.approve(ctx, tx, w, &c, digest)
		} else {
			toDraft(&c)
			err = s.decided(tx, w, &c, changeRefused)
		}
		if err != nil {
			return err
		}
		out, err = readChange(tx, name)
		return err
	})
	return out, refusal.Named(err, "change", name)
}

// atTheDoor does an act while nobody else alters what is in force.
func (s *Service) atTheDoor(ctx context.Context, act uow.Act, do func(tx Records, w *uow.Work) error) error {
	if err := s.Allowed(ctx, act); err != nil {
		return err
	}
	if err := s.door.Acquire(ctx, 1); err != nil {
		return err
	}
	defer s.door.Release(1)
	return s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if err := tx.LockDoor(); err != nil {
			return err
		}
		return do(tx, w)
	})
}

// errPart refuses whoever cannot agree to a whole change.
var errPart = refusal.New(refusal.Forbidden,
	"you see only a part of what this change does, so somebody whose role reaches all of it must agree").
	WithCode("out_of_reach")

// approve agrees to the ways in that a change opens now, which must be those that were asked for, or fewer.
func (s *Service) approve(ctx context.Context, tx Records, w *uow.Work, c *store.Change, digest string) error {
	records, err := tx.ChangeEdits(c.ID)
	if err != nil {
		return err
	}
	edits, err := editsOf(records)
	if err != nil {
		return err
	}
	open, err := openByRule(tx, w.Who().Reach(rights.Deploy), edits)
	if err != nil {
		return err
	}
	if open {
		return errPart
	}
	x, err := s.weighTried(ctx, tx, w, attempt{act: w.Act(), make: s.carriesOut(*c, ""), what: edits})
	switch {
	case err != nil:
		return err
	case x.beyond:
		return errPart
	case digest != x.Digest:
		return errPreviewMoved(c.Name, x.Preview)
	}
	asked, err := tx.Agreement(c.ID)
	if err != nil {
		return err
	}
	now := s.Rules.Judge(gate.Alteration{Access: x.Access, Everything: x.everything, Devices: x.Devices,
		Fleet: x.Fleet}).Asked
	if newcomers := now.Beyond(asked); len(newcomers) > 0 {
		return s.lapse(tx, w, c, newcomers)
	}
	if err := tx.PutAgreement(c.ID, now); err != nil {
		return err
	}
	c.State = store.ChangeApproved
	w.After = map[string]any{"preview": x.Digest}
	return s.decided(tx, w, c, changeApproved)
}

// decided stores a change that was decided.
func (s *Service) decided(tx Records, w *uow.Work, c *store.Change, what string) error {
	c.Version, c.UpdatedAt = c.Version+1, s.Now()
	if err := tx.SetChange(*c, c.Version-1); err != nil {
		return err
	}
	return s.recordChange(tx, w, *c, what, w.Reason())
}

func mayDecide(tx Reads, who rights.Identity, c store.Change) error {
	switch {
	case c.State != store.ChangeWaiting:
		return refusal.New(refusal.Conflict, "the change %q is %s; there is nothing to approve", c.Name, c.State).
			WithCode("nothing_to_approve")
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
