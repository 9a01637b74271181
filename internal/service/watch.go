package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/resolve"
	"rankwarden.example/internal/audit"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/fleetview"
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
type Counts = fleetview.Counts

// The kinds of decision.
const (
	DecideContested = "contested" // equal ranks differ
	DecideHeld      = "held"      // an error of the whole holds it
	DecideFought    = "fought"    // somebody or something changes it back
	DecideClaim     = "claim"     // a device claims to be another
	DecideReveal    = "reveal"    // a second person must approve a reveal
	DecideNoKey     = "no_key"    // no escrow key is live
	DecideUnsettled = "unsettled" // a change cannot be settled for its devices
	DecideRestored  = "restored"  // devices hold what the service never gave: its database may be a backup
	DecideDirectory = "directory" // a reading of the directory would lose many entries
	DecideRecovery  = "recovery"  // current passwords without a recovery copy
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

// Verified counts live devices: all, those heard from within three check-in intervals, those read back
// under their newest desired state, and those that are both.
type Verified struct{ Devices, Online, Verified, OnlineVerified int }

// Overview is the fleet now, as far as an operator may see it.
type Overview struct {
	Standings Counts
	Verified  Verified
	Strips    []fleetview.Group // devices are named where they are few enough to be drawn
	Decisions []Decision
	Edits     []audit.Entry
	Findings  []store.Finding
	Unsettled int // changes that are still being settled for their devices
}

// Watch gives the overview of the devices in reach, narrowed to a group when it is named.
func (s *Service) Watch(ctx context.Context, who auth.Identity, group string) (Overview, error) {
	clock, reach := s.clock(), who.Reach(auth.Look)
	since := clock.Now.Add(-recentSpan)
	var o Overview
	var standings fleetview.Tally
	if err := s.groupExists(ctx, group); err != nil {
		return o, err
	}
	held := newHeldSums()
	visit := func(d *fleetview.Device, standing drift.Standing) {
		online, verified := !d.Heard.LastContact.Before(fleetview.Silent(clock)), d.Verified()
		o.Verified.Devices++
		o.Verified.Online += number(online)
		o.Verified.Verified += number(verified)
		o.Verified.OnlineVerified += number(online && verified)
		standings.Add(standing)
		held.add(d)
	}
	whole := visit // the fleet is gone through once where that is enough
	if group != "" {
		whole = nil
		s.View.Each(clock, fleetview.Filter{Reach: reach, Group: group}, func(d *fleetview.Device, standing drift.Standing) bool {
			visit(d, standing)
			return true
		})
	}
	for _, g := range s.View.Groups(clock, reach, maxMarks, whole) {
		if group != "" && g.Name != group || g.Counts.Total() == 0 {
			continue
		}
		if g.Counts.Total() > maxMarks-1 {
			g.Marks = nil
		}
		o.Strips = append(o.Strips, g)
	}
	o.Standings = standings.Counts()
	err := s.Store.InSnapshot(ctx, func(tx store.Tx) error {
		waiting, failed, err := tx.SettleWaiting()
		if err != nil {
			return err
		}
		o.Unsettled = waiting + len(failed)
		if o.Decisions, err = s.decisions(tx, who, held, failed); err != nil {
			return err
		}
		if o.Edits, err = tx.RecentAudit(since, maxRecent, who.May(auth.Trail)); err != nil {
			return err
		}
		o.Findings, err = tx.RecentFindings(reach, since, maxRecent)
		return err
	})
	return o, err
}

func number(b bool) int {
	if b {
		return 1
	}
	return 0
}

func (s *Service) decisions(tx store.Tx, who auth.Identity, held *heldSums, failed []store.SettleRequest) ([]Decision, error) {
	clock, reach := s.clock(), who.Reach(auth.Look)
	list := []Decision{}
	for _, h := range held.held() {
		kind := DecideHeld
		if h.why == string(resolve.Contested) {
			kind = DecideContested
		}
		list = append(list, Decision{Kind: kind, Unit: HeldName(h.unit), Title: present.Unit(h.unit), Detail: present.Held(resolve.Held{Unit: h.unit, Why: h.why}),
			Devices: h.devices, Device: h.example.Name, DeviceID: h.example.ID})
	}
	for _, f := range held.contended() {
		list = append(list, Decision{Kind: DecideFought, Unit: f.unit.String(), Title: present.Unit(f.unit), Detail: present.Contended, Devices: f.devices, Device: f.example.Name, DeviceID: f.example.ID})
	}
	if n := held.mismatched; n.devices > 0 {
		list = append(list, Decision{Kind: DecideRestored, Title: "this service may have been restored from a backup",
			Detail:  "devices hold a desired state that the service never gave them. If the database came back from a backup, run rankwardend restored on the machine of the service",
			Devices: n.devices, Device: n.example.Name, DeviceID: n.example.ID})
	}
	waiting, _, err := tx.ListApprovals(reach, clock.Now, store.Page{Limit: maxRecent})
	if err != nil {
		return nil, err
	}
	for _, a := range waiting {
		if a.DecidedAt == nil {
			list = append(list, Decision{Kind: DecideReveal, Title: a.AskedBy + " asks to see a password", Detail: "beyond what one may see alone; a second person must approve: " + a.Reason, Devices: 1, Device: a.Device, DeviceID: a.DeviceID})
		}
	}
	for _, r := range failed {
		list = append(list, Decision{Kind: DecideUnsettled, Title: r.Cause,
			Detail: fmt.Sprintf("failed %d times and is tried again: %s. Its devices keep what they have; everything else goes on", r.Attempts, r.Error)})
	}
	claiming, err := tx.DevicesWaiting(reach, maxRecent)
	if err != nil {
		return nil, err
	}
	for _, d := range claiming {
		detail := "enrolled again with a new key and claims to be this device; accept or refuse it"
		if d.Claims == nil {
			detail = "enrolled under a name that the group " + d.ListedIn + " lists, which decides reach or exclusion; an owner must accept or refuse it"
		}
		list = append(list, Decision{Kind: DecideClaim, Title: d.Name, Detail: detail, Devices: 1, Device: d.Name, DeviceID: d.ID})
	}
	if !reach.Everywhere() {
		return list, nil
	}
	more, err := s.serviceDecisions(tx)
	return append(list, more...), err
}

// serviceDecisions are those that concern the service and not some devices.
func (s *Service) serviceDecisions(tx store.Tx) ([]Decision, error) {
	var list []Decision
	keys, err := tx.EscrowKeys()
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(keys, func(k store.EscrowKey) bool { return k.Use == wire.UseEscrow && k.State == store.KeyLive }) {
		list = append(list, Decision{Kind: DecideNoKey, Title: "no escrow key is live", Detail: "so no device changes a password; make a key and prove a copy of it with rankwardend keys, on the machine of the service"})
	}
	if slices.ContainsFunc(keys, func(k store.EscrowKey) bool { return k.Use == wire.UseRecovery && k.State == store.KeyLive }) {
		n, example, err := tx.Unrecovered()
		if err != nil {
			return nil, err
		}
		if n > 0 {
			list = append(list, Decision{Kind: DecideRecovery, Title: "passwords without a recovery copy", Devices: n, Device: example.NameKey, DeviceID: example.ID,
				Detail: "they were stored before the recovery key was live; they get one at their next change. See rankwarden password list --unrecovered, and rotate them"})
		}
	}
	run, err := tx.DirectorySync()
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if run.Losing > 0 {
		list = append(list, Decision{Kind: DecideDirectory, Title: "the directory lost people or groups that policies name",
			Detail: fmt.Sprintf("the last reading lacks %d of them, so nothing was taken from it. If that is right, accept it with rankwarden directory sync --accept", run.Losing)})
	}
	return list, nil
}

// StandingsByAssignment counts, for every assignment, the devices in reach that it applies to, by standing.
func (s *Service) StandingsByAssignment(ctx context.Context, who auth.Identity) (map[string]Counts, error) {
	type key struct {
		scope    string
		standing drift.Standing
	}
	counts := map[key]int{}
	s.View.Each(s.clock(), fleetview.Filter{Reach: who.Reach(auth.Look)}, func(d *fleetview.Device, standing drift.Standing) bool {
		counts[key{d.Scope, standing}]++
		return true
	})
	var unread []string
	seen := map[string]bool{}
	for k := range counts {
		if _, known := s.aims.Load(k.scope); !known && k.scope != "" && !seen[k.scope] {
			seen[k.scope] = true
			unread = append(unread, k.scope)
		}
	}
	if err := s.readAims(ctx, unread); err != nil {
		return nil, err
	}
	by := map[string]Counts{}
	for k, n := range counts {
		names, _ := s.aims.Load(k.scope)
		list, _ := names.([]string)
		for _, name := range list {
			if by[name] == nil {
				by[name] = Counts{}
			}
			by[name][k.standing] += n
		}
	}
	return by, nil
}

// mostAims is how many scopes are kept in memory; scopes come and go, and those in use are soon read again.
const mostAims = 100_000

// readAims reads which assignments scopes have. What a scope says never changes, so it is kept.
func (s *Service) readAims(ctx context.Context, digests []string) error {
	if s.aimCount.Add(int64(len(digests))) > mostAims {
		s.aims.Clear()
		s.aimCount.Store(0)
	}
	for len(digests) > 0 {
		part := digests[:min(len(digests), 5000)]
		digests = digests[len(part):]
		scopes, err := s.Store.With(ctx).ScopesByDigest(part)
		if err != nil {
			return err
		}
		for _, scope := range scopes {
			described, err := scope.Described()
			if err != nil {
				return fmt.Errorf("reading a scope: %w", err)
			}
			names := make([]string, len(described))
			for i, a := range described {
				names[i] = a.Assignment
			}
			s.aims.Store(scope.Digest, names)
		}
	}
	return nil
}
