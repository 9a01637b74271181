package organisation

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"

	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// Brake says what one import, rule or change of facts may alter without a decision. The zero Brake lets everything
// pass.
type Brake struct {
	Percent        int // of the fleet: a desired state is altered on so many devices at most, and always on some
	Administrators int // devices on which somebody may leave administrators
}

// DefaultBrake is the brake where nothing else is said.
var DefaultBrake = Brake{Percent: 2, Administrators: 25}

// brakeFloor is how many devices may always be altered: in a small fleet a few percent are no device.
const brakeFloor = 5

// most is how many devices of a fleet may be altered.
func (b Brake) most(fleet int) int { return max(brakeFloor, fleet*b.Percent/100) }

// asked is what somebody wants to do and the brake may hold; one of its parts is set.
type asked struct {
	Facts     []Facts      `json:"facts,omitempty"`
	Rule      *askedRule   `json:"rule,omitempty"`
	Directory *askedImport `json:"directory,omitempty"`
}

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

// braked does what was asked for, unless it would alter too much: then nothing of it is done, it waits for a decision,
// and what is given says so.
func (s *Service) braked(
	ctx context.Context, tx Records, w *uow.Work, kind string, what asked, do func(tx Records, w *uow.Work) error,
) (held *store.Brake, err error) {
	if s.Brake == (Brake{}) {
		return nil, do(tx, w)
	}
	if err := tx.Mark(); err != nil {
		return nil, err
	}
	tried := w.Nested(w.Act())
	if err := do(tx, tried); err != nil {
		return nil, err
	}
	groups, ids := tried.Settled()
	devices, err := tx.LiveDevices(groups, ids)
	if err != nil {
		return nil, err
	}
	if len(devices) <= brakeFloor {
		w.ReplaceBy(tried)
		return nil, nil
	}
	p, err := s.consequences(ctx, tx, devices, kind)
	if err != nil {
		return nil, err
	}
	if p.Devices <= s.Brake.most(p.Fleet) && p.Leaving <= s.Brake.Administrators {
		return nil, do(tx, w)
	}
	request, err := json.Marshal(what)
	if err != nil {
		return nil, fmt.Errorf("keeping what waits: %w", err)
	}
	sums, err := json.Marshal(heldEffects(p.Sums))
	if err != nil {
		return nil, fmt.Errorf("keeping what waits: %w", err)
	}
	held = &store.Brake{
		ID: store.NewID(
			s.Now(),
		), Kind: kind, Object: w.Object(), State: store.BrakeWaiting, Request: string(request), Fleet: p.Fleet,
		Devices: p.Devices, Leaving: p.Leaving, Sums: string(sums), AskedBy: w.Who().Name, AskedAt: s.Now(),
	}
	w.After = map[string]any{"would_have": w.Action(), "devices": p.Devices, "leaving": p.Leaving}
	w.Call("brake.held")
	w.Before = nil
	w.Tell(store.TopicEdits)
	return held, tx.AddBrake(*held)
}

// mayAlter refuses a reading of the directory that alters more devices than may be, unless that was accepted.
func (s *Service) mayAlter(tx Records, w *uow.Work, accept bool, change *DirectoryChange) error {
	groups, ids := w.Settled()
	if accept || s.Brake == (Brake{}) || len(groups)+len(ids) == 0 {
		return nil
	}
	devices, err := tx.LiveDevices(groups, ids)
	if err != nil {
		return err
	}
	fleet := len(s.View.Devices(rights.Everywhere))
	if len(devices) <= s.Brake.most(fleet) {
		return nil
	}
	change.altering = len(devices)
	return refusal.New(refusal.Conflict, "this reading would alter the desired state of %d of %d devices, so nothing "+
		"was taken from it. If that is right, read it again and accept it", len(devices), fleet).
		WithCode("directory_alters")
}

// consequences compares what devices are to have with what was just done, and without it; it is undone by then.
func (s *Service) consequences(
	ctx context.Context, tx Records, touched []store.DeviceName, kind string,
) (p forecast.Summary, err error) {
	is := make(map[string]bool, len(touched))
	for _, d := range touched {
		is[d.ID] = true
	}
	fleet := s.View.Devices(rights.Everywhere)
	f := forecast.For(slices.DeleteFunc(slices.Clone(fleet), func(d *fleetview.Device) bool { return !is[d.ID] }))
	planned := f.Planned()
	if f.After, _, err = planning.Read(tx, s.Documents, planned, planning.Beside{}); err != nil {
		return p, err
	}
	if err := tx.BackToMark(); err != nil {
		return p, err
	}
	if f.Before, _, err = planning.Read(tx, s.Documents, planned, planning.Beside{}); err != nil {
		return p, err
	}
	f.Run()
	known := func(ctx context.Context) forecast.Records { return s.Read(ctx) }
	if p, err = f.Sum(ctx, known, s.View); err != nil {
		return p, err
	}
	p.Fleet, p.Devices = len(fleet), len(f.Affected())
	if kind == store.BrakeDirectory { // identifiers are put into what devices are told, beside their settings
		p.Devices = len(f.Devices)
	}
	return p, nil
}

// refuseHeld says that something waits, as a refusal: it was not done.
func (s *Service) refuseHeld(b *store.Brake) error {
	if b == nil {
		return nil
	}
	why := fmt.Sprintf("this would alter the desired state of %d of %d devices", b.Devices, b.Fleet)
	if b.Leaving > 0 {
		why += fmt.Sprintf(", and somebody would leave administrators on %d", b.Leaving)
	}
	return refusal.New(refusal.Conflict, "%s, so it waits for a decision and nothing was done yet. Look at it, and "+
		"release or refuse it: rankwarden brake show %s", why, b.ID).
		WithCode("brake_holds")
}

// HeldByBrake is what the brake holds or held, with its effects.
type HeldByBrake struct {
	store.Brake
	Effects []HeldEffect
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
	err := s.Do(ctx, act, func(tx Records, w *uow.Work) error {
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
		b.State, b.DecidedBy, b.DecidedAt, b.Reason = store.BrakeRefused, who.Name, new(s.Now()), act.Reason()
		if release {
			b.State = store.BrakeReleased
			if err := s.releaseHeld(tx, w, b); err != nil {
				return err
			}
		}
		w.Tell(store.TopicEdits)
		if out, err = heldByBrake(b); err != nil {
			return err
		}
		return tx.DecideBrake(b)
	})
	return out, refusal.Named(err, "held edit", id)
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
