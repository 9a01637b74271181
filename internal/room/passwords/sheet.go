package passwords

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
	"rankwarden.example/internal/wire/sheet"
)

// Bounds of sealed sheets.
const (
	MostOnSheet  = 100 // devices
	sheetUntil   = 14 * 24 * time.Hour
	longestSheet = 90 * 24 * time.Hour
)

// SheetRequest says whose passwords are to be on a sealed sheet.
type SheetRequest struct {
	Devices   []string // identifiers or names
	Group     string   // every device of it in reach
	Recipient string   // whose key it is sealed to; empty for ten words
	Lasts     time.Duration
	Reason    string
}

// Sheet is a sealed sheet with its devices that whoever asks may see.
type Sheet struct {
	store.Sheet
	Devices []store.SheetDevice
}

// Valid is how many of its passwords may still open their account.
func (s Sheet) Valid() (n int) {
	for _, d := range s.Devices {
		n += d.Valid
	}
	return n
}

// MadeSheet is a sheet with what is sealed, which is not kept.
type MadeSheet struct {
	Sheet
	Sealed     string   // as text, empty while the sheet waits for a second person
	Page       string   // to print
	Passphrase string   // that opens it; empty where it is sealed to a key
	Without    []string // names of devices that have no password in escrow
	given      []onDevice
}

// AskSheet makes a sealed sheet. It counts as a view of each of its passwords, each of which its device changes once it
// was away for an hour and comes back, or when the sheet ends. Where somebody may not see as many alone it waits for a
// second person, and so it does where a rule wants a password changed after it was viewed and its device could do that
// now: it is not, while the sheet is good.
func (s *Service) AskSheet(ctx context.Context, who rights.Identity, req SheetRequest) (MadeSheet, error) {
	var made MadeSheet
	act, err := s.showing(ctx, operation.MakeSheet, who, "", req.Reason)
	if err != nil {
		return made, err
	}
	if req.Lasts == 0 {
		req.Lasts = sheetUntil
	}
	if req.Lasts < time.Hour || req.Lasts > longestSheet {
		return made, refusal.New(refusal.Invalid, "a sheet is good for an hour to 90 days").At("hours")
	}
	if req.Recipient != "" {
		if err := sheet.CheckRecipient(req.Recipient); err != nil {
			return made, refusal.New(refusal.Invalid, "%q is no recipient; make a key with rankwarden password "+
				"sheet-key, and give what it prints", req.Recipient).At("recipient")
		}
	}
	now := s.Now()
	row := store.Sheet{ID: store.NewID(now), State: store.SheetWaiting, Recipient: req.Recipient, Reason: act.Reason(),
		Needs: []string{}, AskedBy: who.Name, AskedByID: who.OperatorID, AskedAt: now, EndsAt: now.Add(req.Lasts)}
	act = act.On(row.ID)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if _, err := tx.LockOperator(who.OperatorID); err != nil {
			return err
		}
		ids, err := s.sheetDevices(tx, who, req)
		if err != nil {
			return err
		}
		found, shown, err := s.onSheet(tx, who, ids)
		if err != nil {
			return err
		}
		if row.Needs, err = s.sheetNeeds(tx, found, shown); err != nil {
			return err
		}
		if err := tx.AddSheet(row, ids); err != nil {
			return err
		}
		w.Tell(store.TopicEdits)
		if len(row.Needs) > 0 {
			w.After = map[string]any{"devices": namesOf(found), "state": row.State, "needs": row.Needs}
			made.Sheet, err = s.sheetView(tx, who, row)
			return err
		}
		made, err = s.giveSheet(tx, w, row, found)
		return err
	})
	if err != nil || made.State != store.SheetMade {
		return made, err
	}
	return s.sealed(made)
}

// CollectSheet makes a sheet that a second person approved, of the passwords as they are now.
func (s *Service) CollectSheet(ctx context.Context, who rights.Identity, id string) (MadeSheet, error) {
	var made MadeSheet
	waiting, err := s.ShowSheet(ctx, who, id)
	if err != nil {
		return made, err
	}
	act, err := s.showing(ctx, operation.CollectSheet, who, id, waiting.Reason)
	if err != nil {
		return made, err
	}
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		if _, err := tx.LockOperator(who.OperatorID); err != nil {
			return err
		}
		row, err := tx.LockSheet(id)
		if err != nil {
			return err
		}
		switch {
		case row.AskedByID != who.OperatorID:
			return refusal.New(refusal.Forbidden, "%s asked for this sheet, and has it made", row.AskedBy).
				WithCode("not_yours")
		case row.State == store.SheetWaiting && s.waits(row):
			return refusal.New(refusal.Conflict, "a second person must approve it first").
				WithCode("second_person_needed")
		case row.State != store.SheetApproved || s.Now().Sub(*row.DecidedAt) > store.SheetWaits:
			return refusal.New(refusal.Conflict, "this sheet was made, declined, or waited too long; ask for another").
				WithCode("sheet_over")
		}
		ids, _, err := devicesOf(tx, id)
		if err != nil {
			return err
		}
		found, _, err := s.onSheet(tx, who, ids)
		if err != nil {
			return err
		}
		made, err = s.giveSheet(tx, w, row, found)
		return err
	})
	if err != nil {
		return made, refusal.Named(err, "sheet", id)
	}
	return s.sealed(made)
}

// onDevice is what a sheet has of one device.
type onDevice struct {
	device    store.Device
	passwords []toReveal // one for each account
}

func namesOf(list []onDevice) []string {
	names := make([]string, len(list))
	for i, d := range list {
		names[i] = d.device.Name
	}
	return names
}

// sheetDevices are the identifiers of the devices that a request names, each once, in their order.
func (s *Service) sheetDevices(tx Reads, who rights.Identity, req SheetRequest) ([]string, error) {
	if err := devicegroups.Asked(tx, req.Group); err != nil {
		return nil, err
	}
	var ids []string
	for _, name := range req.Devices {
		d, err := reach.Visible(tx, s.Clock(), who, name)
		if err != nil {
			return nil, err
		}
		ids = append(ids, d.ID)
	}
	if req.Group != "" {
		in := fleetview.Filter{Reach: who.Reach(rights.Look), Group: req.Group}
		s.View.Each(s.Clock(), in, func(d *fleetview.Device, _ drift.Standing) bool {
			if d.State == store.Live {
				ids = append(ids, d.ID)
			}
			return len(ids) <= MostOnSheet
		})
	}
	slices.Sort(ids)
	if ids = slices.Compact(ids); len(ids) == 0 || len(ids) > MostOnSheet {
		return nil, refusal.New(refusal.Invalid, "name 1 to %d devices, or a group of as many", MostOnSheet).
			At("devices")
	}
	return ids, nil
}

// onSheet are the passwords that a sheet of some devices has, and how many somebody has seen within the hour. The
// devices are locked, in the order of identifiers, as everywhere.
func (s *Service) onSheet(tx Records, who rights.Identity, ids []string) (list []onDevice, shown int, err error) {
	if err := reach.Check(tx, who, rights.Reveal, ids); err != nil {
		return nil, 0, err
	}
	any := false
	list = make([]onDevice, len(ids))
	for i, id := range slices.Sorted(slices.Values(ids)) {
		d, err := tx.LockDevice(id)
		if err != nil {
			return nil, 0, err
		}
		rotations, err := tx.RotationsOf(s.Clock(), id)
		if err != nil {
			return nil, 0, err
		}
		list[i].device = d
		for _, r := range rotations {
			of := toReveal{device: d, rotation: r}
			all, err := tx.DepositsOf(id, r.Target)
			if err != nil {
				return nil, 0, err
			}
			for _, deposit := range all {
				if deposit.State != store.DepositFormer {
					of.deposits = append(of.deposits, deposit)
				}
			}
			if len(of.deposits) == 0 {
				continue
			}
			shown, of.again, err = tx.RevealsOf(who.Name, s.Now().Add(-budgetSpan), of.asReveal())
			if err != nil {
				return nil, 0, err
			}
			list[i].passwords, any = append(list[i].passwords, of), true
			for _, deposit := range of.deposits {
				if !s.escrowKeys().Holds(deposit.KeyNumber) {
					return nil, 0, refusal.New(refusal.Unavailable, "this replica does not hold escrow key %d, "+
						"which a password of %s is sealed to; nothing was counted", deposit.KeyNumber, d.Name).
						WithCode(protocol.CodeKeyMissing)
				}
			}
		}
	}
	if !any {
		return nil, 0, refusal.New(refusal.NotFound, "none of these devices has a password in escrow").
			WithCode("not_in_escrow").At("devices")
	}
	return list, shown, nil
}

// sheetNeeds says why a second person must approve a sheet for somebody who has seen some passwords within the hour,
// nothing where nobody must.
func (s *Service) sheetNeeds(tx Reads, list []onDevice, shown int) ([]string, error) {
	fresh, kept := 0, ""
	for _, d := range list {
		for _, p := range d.passwords {
			if !p.again {
				fresh++
			}
			rule, ruled, err := ruleOf(tx, p)
			if err != nil {
				return nil, err
			}
			if ruled && rule.AfterRevealMinutes != nil && !s.isAway(d.device) {
				kept = d.device.Name
			}
		}
	}
	needs := []string{}
	if shown+fresh > s.RevealBudget {
		needs = append(needs, fmt.Sprintf("it has %d passwords, and one may see %d within an hour alone", fresh,
			s.RevealBudget))
	}
	if kept != "" {
		needs = append(needs, fmt.Sprintf("a rule wants a password of %s changed after it was viewed, and the sheet "+
			"keeps it good", kept))
	}
	return needs, nil
}

// giveSheet stores that a sheet was made and that each of its passwords was shown.
func (s *Service) giveSheet(tx Records, w *uow.Work, row store.Sheet, list []onDevice) (made MadeSheet, err error) {
	now := s.Now()
	row.State, row.MadeAt = store.SheetMade, &now
	var all []store.Deposit
	accounts := []string{}
	for _, d := range list {
		if len(d.passwords) == 0 {
			made.Without = append(made.Without, d.device.Name)
		}
		for _, p := range d.passwords {
			reveal := p.asReveal()
			reveal.Operator, reveal.At = w.Who().Name, now
			reveal.Reason = "sealed sheet " + row.ID + ": " + row.Reason
			if err := tx.AddReveal(reveal); err != nil {
				return made, err
			}
			if s.isAway(d.device) { // it is told before it can be back
				if err := s.changeSheeted(tx, row.ID, d.device.ID, p.rotation.Target); err != nil {
					return made, err
				}
				w.Tell(store.TopicDevices, d.device.ID)
			}
			all = append(all, p.deposits...)
			accounts = append(accounts, d.device.Name+" "+p.rotation.Target)
			w.Tell(store.TopicReports, d.device.ID)
		}
	}
	if err := tx.AddSheetPasswords(row.ID, all); err != nil {
		return made, err
	}
	if err := tx.SetSheet(row); err != nil {
		return made, err
	}
	w.Tell(store.TopicEdits)
	sealedTo := "ten words"
	if row.Recipient != "" {
		sealedTo = row.Recipient
	}
	w.After = map[string]any{"devices": namesOf(list), "accounts": accounts, "state": row.State, "until": row.EndsAt,
		"sealed_to": sealedTo}
	made.Sheet, err = s.sheetView(tx, w.Who(), row)
	made.given = list
	return made, err
}

// sealed opens the passwords of a sheet, once that they are given away is durable, and seals them to whoever gets it.
func (s *Service) sealed(made MadeSheet) (MadeSheet, error) {
	c := sheet.Content{Format: sheet.Format, ID: made.ID, Organisation: s.Organisation, MadeAt: made.MadeAt.UTC(),
		MadeBy: made.AskedBy, Until: made.EndsAt.UTC(), Reason: made.Reason}
	for _, d := range made.given {
		for _, p := range d.passwords {
			opened, err := s.open(p.deposits)
			if err != nil {
				return MadeSheet{}, err
			}
			for _, o := range opened {
				c.Passwords = append(c.Passwords, sheet.Password{Device: d.device.Name, Serial: d.device.Serial,
					Account: p.rotation.Target, Name: o.Name, Password: o.Password,
					Pending: o.Deposit.State == store.DepositPending, Since: o.Deposit.DepositedAt.UTC()})
			}
		}
	}
	slices.SortStableFunc(c.Passwords, func(a, b sheet.Password) int { return strings.Compare(a.Device, b.Device) })
	var err error
	if made.Recipient != "" {
		made.Sealed, err = sheet.SealToKey(c, made.Recipient)
	} else {
		made.Sealed, made.Passphrase, err = sheet.SealToWords(c)
	}
	if err != nil {
		return MadeSheet{}, err
	}
	made.Page, err = sheet.Page(c, made.Sealed)
	return made, err
}
