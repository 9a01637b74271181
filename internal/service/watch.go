package service

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/words"
	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// Limits of the overview.
const (
	maxMarks   = 400 // devices of a group that are drawn one by one
	maxRecent  = 40
	recentSpan = 24 * time.Hour
)

// Counts are numbers of devices by standing.
type Counts map[drift.Standing]int

// Total is the number of devices.
func (c Counts) Total() int {
	n := 0
	for _, k := range c {
		n += k
	}
	return n
}

// Strip is one group in the overview. Marks are there when its devices are few enough to be drawn.
type Strip struct {
	Group  string
	Counts Counts
	Marks  []store.Mark
}

// The kinds of decision.
const (
	DecideContested = "contested" // equal ranks differ
	DecideHeld      = "held"      // an error of the whole holds it
	DecideFought    = "fought"    // somebody or something changes it back
	DecideClaim     = "claim"     // a device claims to be another
	DecideReveal    = "reveal"    // a second person must agree to a reveal
	DecideNoKey     = "no_key"    // no escrow key is live
)

// Decision is something that waits for an operator.
type Decision struct {
	Unit     string // name of the unit, empty for a device that claims to be another
	Title    string
	Detail   string
	Devices  int
	Device   string // one of them
	DeviceID string
	Kind     string
}

// Overview is the fleet now.
type Overview struct {
	Standings Counts
	Verified  store.Verified
	Strips    []Strip
	Decisions []Decision
	Edits     []audit.Entry
	Findings  []store.Finding
	Unsettled int // changes that are still being settled for their devices
}

// Watch gives the overview.
func (s *Service) Watch(ctx context.Context) (Overview, error) {
	var o Overview
	err := s.Store.InSnapshot(ctx, func(tx store.Tx) (err error) {
		clock := s.clock()
		since := clock.Now.Add(-recentSpan)
		waiting, err := tx.SettleRequests()
		if err != nil {
			return err
		}
		o.Unsettled = len(waiting)
		if o.Standings, err = tx.CountDevices(clock, store.DeviceFilter{}); err != nil {
			return err
		}
		if o.Verified, err = tx.CountVerified(clock); err != nil {
			return err
		}
		if o.Strips, err = strips(tx, clock); err != nil {
			return err
		}
		if o.Decisions, err = s.decisions(tx, clock); err != nil {
			return err
		}
		if o.Edits, err = tx.RecentAudit(since, maxRecent); err != nil {
			return err
		}
		o.Findings, err = tx.RecentFindings(since, maxRecent)
		return err
	})
	return o, err
}

func strips(tx store.Tx, clock store.Clock) ([]Strip, error) {
	counts, err := tx.CountByGroup(clock)
	if err != nil {
		return nil, err
	}
	list := []Strip{}
	for _, c := range counts {
		if len(list) == 0 || list[len(list)-1].Group != c.Group {
			list = append(list, Strip{Group: c.Group, Counts: Counts{}})
		}
		list[len(list)-1].Counts[c.Standing] = c.N
	}
	var small []string
	for _, strip := range list {
		if strip.Counts.Total() <= maxMarks {
			small = append(small, strip.Group)
		}
	}
	marks, err := tx.MarksOf(clock, small)
	at := 0
	for _, m := range marks { // both are sorted by group
		for list[at].Group != m.Group {
			at++
		}
		list[at].Marks = append(list[at].Marks, m)
	}
	return list, err
}

func (s *Service) decisions(tx store.Tx, clock store.Clock) ([]Decision, error) {
	held, err := tx.HeldUnits()
	if err != nil {
		return nil, err
	}
	list := []Decision{}
	for _, h := range wholeDevices(held) {
		unit, err := resolve.ParseUnit(h.Unit)
		if err != nil {
			return nil, fmt.Errorf("a held unit: %w", err)
		}
		kind := DecideHeld
		if h.Why == string(resolve.Contested) {
			kind = DecideContested
		}
		list = append(list, Decision{Kind: kind, Unit: h.Unit, Title: words.Unit(unit), Detail: words.Held(resolve.Held{Unit: unit, Why: h.Why}),
			Devices: h.Devices, Device: h.Example, DeviceID: h.ExampleID})
	}
	fought, err := tx.ContendedUnits()
	if err != nil {
		return nil, err
	}
	for _, f := range fought {
		unit, err := resolve.ParseUnit(f.Unit)
		if err != nil {
			return nil, fmt.Errorf("a contended unit: %w", err)
		}
		list = append(list, Decision{Kind: DecideFought, Unit: f.Unit, Title: words.Unit(unit), Detail: words.Contended, Devices: f.Devices, Device: f.Example, DeviceID: f.ExampleID})
	}
	waiting, _, err := tx.ListAgreements(clock.Now, store.Page{Limit: maxRecent})
	if err != nil {
		return nil, err
	}
	for _, a := range waiting {
		if a.DecidedAt == nil {
			list = append(list, Decision{Kind: DecideReveal, Title: a.AskedBy + " asks to see a password", Detail: "beyond what one may see alone; a second person must agree: " + a.Reason, Devices: 1, Device: a.Device, DeviceID: a.DeviceID})
		}
	}
	keys, err := tx.EscrowKeys()
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(keys, func(k store.EscrowKey) bool { return k.Use == wire.UseEscrow && k.State == store.KeyLive }) {
		list = append(list, Decision{Kind: DecideNoKey, Title: "no escrow key is live", Detail: "so no device changes a password; make a key and prove a copy of it with rankwardend keys, on the machine of the service"})
	}
	claiming, _, err := tx.ListDevices(clock, store.DeviceFilter{State: store.Claiming}, store.Page{Limit: maxRecent})
	for _, d := range claiming {
		list = append(list, Decision{Kind: DecideClaim, Title: d.Name, Detail: "enrolled again with a new key and claims to be this device; accept or refuse it", Devices: 1, Device: d.Name, DeviceID: d.ID})
	}
	return list, err
}

// wholeDevices puts together what is held on every unit of a device for one reason.
func wholeDevices(held []store.HeldGroup) []store.HeldGroup {
	var list []store.HeldGroup
	whole := -1
	for _, h := range held {
		switch {
		case h.Why != string(resolve.UndecidedScope):
			list = append(list, h)
		case whole < 0:
			whole = len(list)
			h.Unit = resolve.EveryUnit.String()
			list = append(list, h)
		case h.Devices > list[whole].Devices:
			list[whole].Devices = h.Devices
		}
	}
	return list
}

// StandingsByAssignment counts, for every assignment, the devices it applies to by standing.
func (s *Service) StandingsByAssignment(ctx context.Context) (map[string]Counts, error) {
	by := map[string]Counts{}
	err := s.Store.InSnapshot(ctx, func(tx store.Tx) error {
		counts, err := tx.CountByScope(s.clock())
		if err != nil {
			return err
		}
		scopes, err := tx.ScopeAssignments()
		if err != nil {
			return err
		}
		names := map[string][]store.ScopeAssignment{}
		for _, scope := range scopes {
			var list []store.ScopeAssignment
			if err := json.Unmarshal([]byte(scope.Assignments), &list); err != nil {
				return fmt.Errorf("reading a scope: %w", err)
			}
			names[scope.Digest] = list
		}
		for _, c := range counts {
			for _, a := range names[c.Scope] {
				if by[a.Assignment] == nil {
					by[a.Assignment] = Counts{}
				}
				by[a.Assignment][c.Standing] += c.N
			}
		}
		return nil
	})
	return by, err
}
