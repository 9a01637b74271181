package changes

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// asked is what somebody wants to do and the brake may hold; one of its parts is set.
type asked struct {
	Facts     []Facts      `json:"facts,omitempty"`
	Rule      *askedRule   `json:"rule,omitempty"`
	Directory *askedImport `json:"directory,omitempty"`
	Alters    []Altered    `json:"alters,omitempty"` // what it was to alter when it was held, the first ones
	Altering  int          `json:"altering,omitempty"`
}

// mostAltered is how much of what is altered is kept to be looked at.
const mostAltered = 200

type askedRule struct {
	Group       string  `json:"group"`
	Rule        string  `json:"rule"`
	Description *string `json:"description,omitempty"`
	Over        int64   `json:"over"`
}

type askedImport struct {
	Source  string `json:"source"`
	Replace bool   `json:"replace"`
	Accept  bool   `json:"accept"`
}

// passOrHold takes what arrived through the door. What a person must decide, or agree to, is held: nothing of it is
// done, and the error says so.
func (s *Service) passOrHold(
	ctx context.Context, a *attempt, kind string, asks func(tx Records) (asked, error),
) error {
	var held *store.Brake
	a.waits = func(tx Records, w *uow.Work, x *weighed) error {
		what, err := asks(tx)
		if err != nil {
			return err
		}
		what.Altering = len(what.Alters)
		what.Alters = what.Alters[:min(len(what.Alters), mostAltered)]
		request, err := json.Marshal(what)
		if err != nil {
			return fmt.Errorf("keeping what waits: %w", err)
		}
		sums, err := json.Marshal(heldEffects(x.Sums))
		if err != nil {
			return fmt.Errorf("keeping what waits: %w", err)
		}
		held = &store.Brake{
			ID: store.NewID(s.Now()), Kind: kind, Object: w.Object(), State: store.BrakeWaiting,
			Request: string(request), Fleet: x.Fleet, Devices: x.Devices, Leaving: x.Leaving, Sums: string(sums),
			AskedBy: w.Who().Name, AskedAt: s.Now(), Needs: x.Judgement.Needs,
		}
		w.After = map[string]any{"would_have": w.Action(), "devices": x.Devices, "leaving": x.Leaving,
			"needs": x.Judgement.Needs}
		w.Call("brake.held")
		w.Before = nil
		w.Tell(store.TopicEdits)
		if err := tx.PutAgreement(held.ID, x.Judgement.Asked); err != nil {
			return err
		}
		return tx.AddBrake(*held)
	}
	err := s.pass(ctx, a)
	if err == nil && held != nil {
		return refuseHeld(held)
	}
	return err
}

// mayAlter refuses a reading of the directory that alters more devices than may be, unless that was accepted.
func (s *Service) mayAlter(tx Records, w *uow.Work, accept bool, change *DirectoryChange) error {
	groups, ids := w.Settled()
	if accept || s.Rules.Brake == (gate.Brake{}) || len(groups)+len(ids) == 0 {
		return nil
	}
	devices, err := tx.LiveDevices(groups, ids)
	if err != nil {
		return err
	}
	fleet := s.View.Size()
	if len(devices) <= s.Rules.Most(fleet) {
		return nil
	}
	change.altering = len(devices)
	return refusal.New(refusal.Conflict, "this reading would alter the desired state of %d of %d devices, so nothing "+
		"was taken from it. If that is right, read it again and accept it", len(devices), fleet).
		WithCode("directory_alters")
}

// refuseHeld says that something waits, as a refusal: it was not done.
func refuseHeld(b *store.Brake) error {
	why := fmt.Sprintf("this would alter the desired state of %d of %d devices", b.Devices, b.Fleet)
	if b.Leaving > 0 {
		why += fmt.Sprintf(", and somebody would leave administrators on %d", b.Leaving)
	}
	who := "Look at it, and release or refuse it"
	if len(b.Needs) > 0 {
		why += "; " + strings.Join(b.Needs, "; ")
		who = "Somebody else must look at it, and release or refuse it"
	}
	e := refusal.New(refusal.Conflict, "%s, so it waits for a decision and nothing was done yet. %s: rankwarden "+
		"brake show %s", why, who, b.ID).
		WithCode("brake_holds")
	e.Waits = b.ID
	return e
}

// HeldByBrake is what the brake holds or held, with its effects.
type HeldByBrake struct {
	store.Brake
	Effects  []HeldEffect
	Alters   []Altered // the first ones; lists leave them out
	Altering int       // how much it alters
}

// HeldEffect is how many devices have one effect, in words, as it was worked out when it was held.
type HeldEffect struct {
	Effect    string   `json:"effect"`
	Unit      string   `json:"unit"`
	Subject   string   `json:"subject"`
	Devices   int      `json:"devices"`
	Section   string   `json:"section"`
	Words     string   `json:"words"`
	TakesAway bool     `json:"takes_away"`
	First     []string `json:"first"` // names of the first devices
}

func heldEffects(sums []effect.Sum) []HeldEffect {
	list := []HeldEffect{}
	for _, sum := range present.SortSums(sums) {
		list = append(list, HeldEffect{
			Effect: string(sum.Kind), Unit: effect.UnitName(sum.Unit), Subject: sum.Subject, Devices: sum.Devices,
			Section: present.EffectSection(sum.Kind), Words: present.EffectSum(sum), TakesAway: sum.TakesAway(),
			First: append([]string{}, sum.First...),
		})
	}
	return list
}

func heldByBrake(b store.Brake) (HeldByBrake, error) {
	h := HeldByBrake{Brake: b}
	if err := json.Unmarshal([]byte(b.Sums), &h.Effects); err != nil {
		return h, fmt.Errorf("reading what waits: %w", err)
	}
	if b.Request == "" {
		return h, nil // lists leave it out
	}
	var what asked
	if err := json.Unmarshal([]byte(b.Request), &what); err != nil {
		return h, fmt.Errorf("reading what waits: %w", err)
	}
	h.Alters, h.Altering = what.Alters, what.Altering
	return h, nil
}

// HeldByBrake lists a page of what waits, or of all, the latest first.
func (s *Service) HeldByBrake(ctx context.Context, all bool, p store.Page) ([]HeldByBrake, string, error) {
	records, next, err := s.Read(ctx).ListBrakes(!all, p)
	list := make([]HeldByBrake, len(records))
	for i, b := range records {
		var wrong error
		if list[i], wrong = heldByBrake(b); wrong != nil {
			return nil, "", wrong
		}
	}
	return list, next, err
}

// BrakeHeld finds one.
func (s *Service) BrakeHeld(ctx context.Context, id string) (HeldByBrake, error) {
	b, err := s.Read(ctx).Brake(id)
	if err != nil {
		return HeldByBrake{}, refusal.Named(err, "held edit", id)
	}
	return heldByBrake(b)
}

// DecideBrake releases what the brake holds, which is done then, or refuses it.
func (s *Service) DecideBrake(
	ctx context.Context, who rights.Identity, id string, release bool, reason string,
) (HeldByBrake, error) {
	act := uow.ByOperator(operation.DecideBrake, who, id).As("brake.refused").Because(strings.TrimSpace(reason))
	if release {
		act = act.As("brake.released")
	}
	if act.Reason() == "" {
		return HeldByBrake{}, refusal.New(refusal.Invalid, "say why, for whoever looks at it later").At("reason")
	}
	var out HeldByBrake
	err := s.atTheDoor(ctx, act, func(tx Records, w *uow.Work) error {
		b, err := tx.LockBrake(id)
		if err != nil {
			return err
		}
		if b.State != store.BrakeWaiting {
			return refusal.New(refusal.Conflict, "it was %s by %s already", b.State, b.DecidedBy).
				WithCode("decided_already")
		}
		if b.Kind != store.BrakeRule && !who.May(rights.Administer) {
			return uow.Lacking(who)
		}
		if release {
			err = s.releaseSeen(ctx, tx, w, b)
		}
		if err != nil {
			return err
		}
		b.State, b.DecidedBy, b.DecidedAt, b.Reason = store.BrakeRefused, who.Name, new(s.Now()), act.Reason()
		if release {
			b.State = store.BrakeReleased
		}
		w.Tell(store.TopicEdits)
		if out, err = heldByBrake(b); err != nil {
			return err
		}
		return tx.DecideBrake(b)
	})
	return out, refusal.Named(err, "held edit", id)
}

// releaseSeen does what is held. Where a second person must agree, it is not whoever asked for it, and they agree to
// the ways in that were asked for, or fewer.
func (s *Service) releaseSeen(ctx context.Context, tx Records, w *uow.Work, b store.Brake) error {
	asked, err := tx.Agreement(b.ID)
	if err != nil {
		return err
	}
	a := attempt{act: w.Act(), what: b.ID}
	a.make = func(tx Records, w *uow.Work) error { return s.releaseHeld(tx, w, b) }
	x, err := s.weighTried(ctx, tx, w, a)
	if err != nil {
		return err
	}
	j := s.Rules.Judge(gate.Alteration{Source: gate.Person, Beyond: x.beyond, Access: x.Access, AtOnce: true,
		Everything: x.everything, Devices: x.Devices, Fleet: x.Fleet, Seen: true,
		Agreed: &gate.Agreement{Access: asked, Needs: b.Needs}})
	switch {
	case x.beyond:
		return refusal.BeyondReach()
	case len(j.Needs) > 0 && b.AskedBy == w.Who().Name:
		return refusal.New(refusal.Forbidden, "you asked for this, so somebody else must release it: %s",
			strings.Join(j.Needs, "; ")).WithCode("own_request")
	case j.Answer == gate.Agree:
		came, err := s.whoCame(tx, j.Newcomers)
		if err != nil {
			return err
		}
		return refusal.New(refusal.Conflict, "it would open more ways in by now than it was held for (%s); refuse "+
			"it, and have it asked for again", came).WithCode("preview_changed")
	}
	if err := a.make(tx, w); err != nil {
		return err
	}
	w.TellAdministrators(x.Access)
	return nil
}

// releaseHeld does what was asked for, as whoever releases it.
func (s *Service) releaseHeld(tx Records, w *uow.Work, b store.Brake) error {
	var what asked
	if err := json.Unmarshal([]byte(b.Request), &what); err != nil {
		return fmt.Errorf("reading what waits: %w", err)
	}
	switch {
	case what.Rule != nil:
		g, err := tx.Group(what.Rule.Group)
		if err != nil {
			return refusal.Named(err, "group", what.Rule.Group)
		}
		c := devicegroups.Edit{Rule: &what.Rule.Rule, Description: what.Rule.Description}
		return refusal.Named(devicegroups.Change(tx, w, &g, c, nil, nil, what.Rule.Over), "group", g.Name)
	case what.Directory != nil:
		entries, _, err := directory.ParseLDIF([]byte(what.Directory.Source))
		if err != nil {
			return fmt.Errorf("reading what waits: %w", err)
		}
		_, err = s.merge(tx, w, sourceImport, entries, what.Directory.Replace, what.Directory.Accept)
		return err
	}
	return s.setFacts(tx, w, what.Facts)
}
