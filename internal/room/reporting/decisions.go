package reporting

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/present"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// The kinds of decision.
const (
	DecideContested = "contested" // equal ranks differ
	DecideHeld      = "held"      // an error of the whole holds it
	DecideReverted  = "reverted"  // somebody or something changes it back
	DecideClaim     = "claim"     // a device claims to be another
	DecideReveal    = "reveal"    // a second person must approve a reveal
	DecideSheet     = "sheet"     // a second person must approve a sealed sheet
	DecideNoKey     = "no_key"    // no escrow key is live
	DecideUnsettled = "unsettled" // a change cannot be settled for its devices
	DecideRestored  = "restored"  // devices hold what the service never gave: its database may be a backup
	DecideReturned  = "returned"  // the database went back, and the service began again from what it holds
	DecideFrozen    = "frozen"    // settling or rollouts are frozen
	DecideDirectory = "directory" // a reading of the directory would lose many entries
	DecideWaiver    = "waiver"    // one waits for a second person, or is about to end
	DecideWarrant   = "warrant"   // one waits for somebody to agree
	DecideSealed    = "sealed"    // the sealed owner was used
	DecideTrail     = "trail"     // the audit trail was altered
	DecideRecovery  = "recovery"  // current passwords without a recovery copy
	DecideChange    = "change"    // one waits for a second person
	DecideBrake     = "brake"     // the brake holds something
	DecideWave      = "wave"      // somebody wants one to open early, for which a second person must agree
	DecideDrill     = "drill"     // nobody has tried for a while whether the recovery key opens what is sealed to it
	DecideLeft      = "left"      // accounts that a policy managed once and none does any more
	DecideCopied    = "copied"    // two machines hold the key of a device, which is frozen
	DecideTrouble   = "trouble"   // the agent of a device is kept from its work
	DecideKey       = "key"       // one is to go live or retire, for which a second owner must agree
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
	Object   string // name of the change, the rollout, the key or what is held; empty for others
}

func (s *Service) decisions(
	tx Reads, who rights.Identity, held *heldSums, failed []store.SettleRequest,
) ([]Decision, error) {
	notes, err := s.serviceNotes(tx)
	if err != nil {
		return nil, err
	}
	list := append([]Decision{}, notes...)
	list = append(list, held.toDecide()...)
	unsettled := func(Reads, rights.Identity) ([]Decision, error) { return unsettledToDecide(failed), nil }
	for _, more := range []func(tx Reads, who rights.Identity) ([]Decision, error){
		s.ofOperators, s.secondPersons, s.revealsToDecide, s.sheetsToDecide, unsettled,
		s.waiversToDecide, s.claimsToDecide,
		s.leftToDecide, s.warrantsToDecide, s.agentsToDecide,
	} {
		found, err := more(tx, who)
		if err != nil {
			return nil, err
		}
		list = append(list, found...)
	}
	if !who.Reach(rights.Look).Everywhere() {
		return list, nil
	}
	more, err := s.serviceDecisions(tx)
	return append(list, more...), err
}

// toDecide are what holds settings, and what something keeps changing back.
func (held *heldSums) toDecide() (list []Decision) {
	for _, h := range held.held() {
		kind := DecideHeld
		if h.why == string(resolve.Contested) {
			kind = DecideContested
		}
		list = append(list, Decision{
			Kind:     kind,
			Unit:     HeldName(h.unit),
			Title:    present.Unit(h.unit),
			Detail:   present.Held(resolve.HeldUnit{Unit: h.unit, Why: h.why}),
			Devices:  h.devices,
			Device:   h.example.Name,
			DeviceID: h.example.ID,
		})
	}
	for _, f := range held.reverted() {
		list = append(list, Decision{
			Kind:     DecideReverted,
			Unit:     f.unit.String(),
			Title:    present.Unit(f.unit),
			Detail:   present.RepeatedlyReverted,
			Devices:  f.devices,
			Device:   f.example.Name,
			DeviceID: f.example.ID,
		})
	}
	if n := held.mismatched; n.devices > 0 {
		list = append(list, Decision{Kind: DecideRestored, Title: "this service may have been restored from a backup",
			Detail: "devices hold a desired state that the service never gave them. If the database came back from " +
				"a backup, run rankwardend restored on the machine of the service",
			Devices: n.devices, Device: n.example.Name, DeviceID: n.example.ID})
	}
	return list
}

// ofOperators are those that only whoever may read the trail, or administers, is told of.
func (s *Service) ofOperators(tx Reads, who rights.Identity) (list []Decision, err error) {
	if who.May(rights.Trail) {
		broken, err := tx.TrailFoundBroken()
		if err != nil {
			return nil, err
		}
		if broken != "" {
			list = append(list, Decision{Kind: DecideTrail, Title: "the audit trail was altered",
				Detail: broken + ". Nothing more of it is signed: compare an export with the checkpoints that left " +
					"the database"})
		}
	}
	if who.May(rights.Administer) {
		used, err := tx.SealedInUse()
		if err != nil {
			return nil, err
		}
		for _, o := range used {
			list = append(list, Decision{Kind: DecideSealed, Title: "the sealed owner " + o.Name + " was used",
				Detail: "at " + o.OpenedAt.UTC().Format("2006-01-02 15:04 UTC") +
					". Find out why, and seal it anew on the machine of the service: rankwardend owner seal " + o.Name})
		}
	}
	return list, nil
}

// revealsToDecide are the requests to see a password that wait for a second person.
func (s *Service) revealsToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	waiting, _, err := tx.ListApprovals(who.Reach(rights.Look), s.Now(), store.Page{Limit: maxRecent})
	if err != nil {
		return nil, err
	}
	for _, a := range waiting {
		if a.DecidedAt == nil {
			list = append(list, Decision{
				Kind:     DecideReveal,
				Title:    a.AskedBy + " asks to see a password",
				Detail:   "beyond what one may see alone; a second person must approve: " + a.Reason,
				Devices:  1,
				Device:   a.Device,
				DeviceID: a.DeviceID,
			})
		}
	}
	return list, nil
}

// sheetsToDecide are the sealed sheets that wait for a second person.
func (s *Service) sheetsToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	look := who.Reach(rights.Look)
	waiting, err := tx.WaitingSheets(look, s.Now().Add(-store.SheetWaits), maxRecent)
	if err != nil || len(waiting) == 0 {
		return nil, err
	}
	ids := make([]string, len(waiting))
	for i, w := range waiting {
		ids[i] = w.ID
	}
	devices, err := tx.DevicesOfSheets(look, ids)
	for _, w := range waiting {
		if on := devices[w.ID]; len(on) > 0 {
			list = append(list, Decision{Kind: DecideSheet, Object: w.ID, Title: w.AskedBy + " asks for a sealed sheet",
				Detail:  strings.Join(w.Needs, "; ") + ". A second person must approve: " + w.Reason,
				Devices: len(on), Device: on[0].Name, DeviceID: on[0].ID})
		}
	}
	return list, err
}

// unsettledToDecide are edits whose devices could not be settled.
func unsettledToDecide(failed []store.SettleRequest) (list []Decision) {
	for _, r := range failed {
		list = append(list, Decision{Kind: DecideUnsettled, Title: r.Cause,
			Detail: fmt.Sprintf(
				"failed %d times and is tried again: %s. Its devices keep what they have; everything else goes on",
				r.Attempts,
				r.Error,
			)})
	}
	return list
}

// leftToDecide are the accounts that are left behind.
func (s *Service) leftToDecide(tx Reads, who rights.Identity) ([]Decision, error) {
	n, example, err := tx.LeftBehind(who.Reach(rights.Look))
	if err != nil || n == 0 {
		return nil, err
	}
	return []Decision{{Kind: DecideLeft, Title: "accounts are left behind", Devices: n, Device: example.NameKey,
		DeviceID: example.ID, Detail: "a policy managed them once and none does any more, so nobody changes their " +
			"passwords; manage them again, disable them or remove them"}}, nil
}

// claimsToDecide are devices that wait for an owner.
func (s *Service) claimsToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	claiming, err := tx.DevicesWaiting(who.Reach(rights.Look), maxRecent)
	if err != nil {
		return nil, err
	}
	for _, d := range claiming {
		detail := "enrolled again with a new key and claims to be this device; accept or refuse it"
		switch {
		case d.Claims == nil && d.ListedIn == "":
			detail = "enrolled under a name that another device had within the last 90 days; an owner must accept " +
				"it, and then the other one keeps the name no longer, or refuse it"
		case d.Claims == nil:
			detail = "enrolled under a name that the group " + d.ListedIn +
				" expects, which decides reach or exclusion; an owner must accept or refuse it"
		}
		list = append(
			list,
			Decision{Kind: DecideClaim, Title: d.Name, Detail: detail, Devices: 1, Device: d.Name, DeviceID: d.ID},
		)
	}
	return list, nil
}

// agentsToDecide are devices whose key two machines hold, and those whose agents are kept from their work.
func (s *Service) agentsToDecide(tx Reads, who rights.Identity) (list []Decision, err error) {
	copied, err := tx.CopiedDevices(who.Reach(rights.Look), maxRecent)
	if err != nil {
		return nil, err
	}
	for _, d := range copied {
		list = append(list, Decision{Kind: DecideCopied, Title: d.Name, Device: d.Name, DeviceID: d.ID, Devices: 1,
			Detail: "two machines checked in with its key in turn, so that it is frozen; have each enrol again, or " +
				"return " +
				"the device where one of them is gone"})
	}
	troubled, err := tx.TroubledDevices(who.Reach(rights.Look), maxRecent)
	for _, d := range troubled {
		list = append(list, Decision{Kind: DecideTrouble, Title: d.Name, Device: d.Name, DeviceID: d.ID, Devices: 1,
			Detail: "its agent is kept from its work: " + d.Trouble})
	}
	return list, err
}

// drillEvery is after how long without a drill one is asked for: monthly, with days to spare.
const drillEvery = 35 * 24 * time.Hour

// triedAt is when a copy of a key last opened something.
func triedAt(k store.EscrowKey) time.Time {
	switch {
	case k.DrilledAt != nil:
		return *k.DrilledAt
	case k.ProvedAt != nil:
		return *k.ProvedAt
	}
	return k.MadeAt
}

// serviceDecisions are those that concern the service and not some devices.
func (s *Service) serviceDecisions(tx Reads) ([]Decision, error) {
	var list []Decision
	keys, err := tx.EscrowKeys()
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(
		keys,
		func(k store.EscrowKey) bool { return k.Use == protocol.UseEscrow && k.State == store.KeyLive },
	) {
		list = append(list, Decision{
			Kind:  DecideNoKey,
			Title: "no escrow key is live",
			Detail: "so no device changes a password; make a key and prove a copy of it with rankwardend keys, on " +
				"the machine of the service",
		})
	}
	for _, k := range keys {
		if k.Use == protocol.UseRecovery && k.State == store.KeyLive && s.Now().Sub(triedAt(k)) > drillEvery {
			list = append(list, Decision{Kind: DecideDrill, Title: fmt.Sprintf("recovery key %d was not tried for "+
				"a while",
				k.Number), Detail: "a copy of it last opened something on " + triedAt(k).UTC().Format(time.DateOnly) +
				". Have it open passwords in a drill, on the machine of the service: rankwardend keys drill"})
		}
	}
	if slices.ContainsFunc(
		keys,
		func(k store.EscrowKey) bool { return k.Use == protocol.UseRecovery && k.State == store.KeyLive },
	) {
		n, example, err := tx.Unrecovered()
		if err != nil {
			return nil, err
		}
		if n > 0 {
			list = append(list, Decision{
				Kind:     DecideRecovery,
				Title:    "passwords without a recovery copy",
				Devices:  n,
				Device:   example.NameKey,
				DeviceID: example.ID,
				Detail: "they were stored before the recovery key was live; they get one at their next change. See " +
					"rankwarden password list --unrecovered, and rotate them",
			})
		}
	}
	run, err := tx.DirectorySync()
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	if run.Losing > 0 {
		list = append(
			list,
			Decision{Kind: DecideDirectory, Title: "the directory lost people or groups that policies name",
				Detail: fmt.Sprintf(
					"the last reading lacks %d of them, so nothing was taken from it. If that is right, accept it "+
						"with rankwarden directory sync --accept",
					run.Losing,
				)},
		)
	}
	if run.Altering > 0 {
		list = append(list, Decision{
			Kind: DecideDirectory, Title: "the directory would alter many devices", Devices: run.Altering,
			Detail: fmt.Sprintf(
				"the last reading would alter the desired state of %d devices, so nothing was taken from it. If that "+
					"is right, accept it with rankwarden directory sync --accept",
				run.Altering,
			),
		})
	}
	return list, nil
}
