package passwords

import (
	"context"
	"time"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

const (
	awayFor  = time.Hour // without contact; then it changes its passwords when it is back
	dueInOne = 200       // devices that are told in one transaction
)

// isAway reports whether a device has not been in contact for long enough to be told when it is back.
func (s *Service) isAway(d store.Device) bool {
	return d.LastContact == nil || d.LastContact.Before(s.awaySince())
}

// awaySince is before when a device was last in contact that is away.
func (s *Service) awaySince() time.Time { return s.Now().Add(-max(awayFor, 2*s.Interval)) }

// waits reports whether a sheet still waits for a second person.
func (s *Service) waits(row store.Sheet) bool { return s.Now().Sub(row.AskedAt) <= store.SheetWaits }

// Sheets lists a page of the sealed sheets with devices in reach, the latest first.
func (s *Service) Sheets(ctx context.Context, who rights.Identity, p store.Page) ([]Sheet, string, error) {
	tx, look := s.Read(ctx), who.Reach(rights.Look)
	found, next, err := tx.ListSheets(look, p)
	if err != nil {
		return nil, "", err
	}
	ids := make([]string, len(found))
	for i, row := range found {
		ids[i] = row.ID
	}
	devices, err := tx.DevicesOfSheets(look, ids)
	list := make([]Sheet, len(found))
	for i, row := range found {
		list[i] = Sheet{row, devices[row.ID]}
	}
	return list, next, err
}

// ShowSheet finds one. One without any device in reach does not exist for whoever asks.
func (s *Service) ShowSheet(ctx context.Context, who rights.Identity, id string) (Sheet, error) {
	tx := s.Read(ctx)
	row, err := tx.Sheet(id)
	if err != nil {
		return Sheet{}, refusal.Named(err, "sheet", id)
	}
	return s.sheetView(tx, who, row)
}

func (s *Service) sheetView(tx Reads, who rights.Identity, row store.Sheet) (Sheet, error) {
	devices, err := tx.DevicesOfSheets(who.Reach(rights.Look), []string{row.ID})
	if err != nil {
		return Sheet{}, err
	}
	if len(devices[row.ID]) == 0 {
		return Sheet{}, refusal.Missing("sheet", row.ID).Hiding()
	}
	return Sheet{row, devices[row.ID]}, nil
}

// devicesOf are the identifiers and the names of all devices of a sheet.
func devicesOf(tx Reads, id string) (ids, names []string, err error) {
	devices, err := tx.DevicesOfSheets(rights.Everywhere, []string{id})
	for _, d := range devices[id] {
		ids, names = append(ids, d.ID), append(names, d.Name)
	}
	return ids, names, err
}

// DecideSheet approves a sheet that waits, or declines it. Nobody decides what they asked for.
func (s *Service) DecideSheet(ctx context.Context, who rights.Identity, id string, approve bool) error {
	action := map[bool]string{true: "sheet.approved", false: "sheet.declined"}[approve]
	err := s.Do(ctx, uow.ByOperator(operation.DecideSheet, who, id).As(action), func(tx Records, w *uow.Work) error {
		row, err := tx.LockSheet(id)
		if err != nil {
			return err
		}
		if _, err := s.sheetView(tx, who, row); err != nil {
			return err
		}
		ids, names, err := devicesOf(tx, id)
		if err != nil {
			return err
		}
		if err := reach.Check(tx, who, rights.Reveal, ids); err != nil {
			return err
		}
		w.Explain(row.Reason)
		w.After = map[string]any{"devices": names, "asked_by": row.AskedBy}
		switch {
		case row.AskedByID == who.OperatorID || row.AskedBy == who.Name:
			return refusal.New(refusal.Forbidden, "you asked for this yourself; somebody else must approve it").
				WithCode("second_person_needed")
		case row.State != store.SheetWaiting || !s.waits(row):
			return refusal.New(refusal.Conflict, "this sheet does not wait any more; %s may ask again", row.AskedBy).
				WithCode("nothing_to_approve")
		}
		now := s.Now()
		if row.State = store.SheetDeclined; approve {
			row.State = store.SheetApproved
		}
		row.DecidedBy, row.DecidedAt = who.Name, &now
		w.Tell(store.TopicEdits)
		return tx.SetSheet(row)
	})
	return refusal.Named(err, "sheet", id)
}

// VoidSheets orders the passwords of sealed sheets to be changed: of devices that have been away for an hour, for when
// they are back, and of every device when its sheet ends.
func (s *Service) VoidSheets(ctx context.Context) error {
	for {
		done := 0
		err := s.Do(ctx, uow.ByService("sheet.void", "sheets"), func(tx Records, w *uow.Work) error {
			due, err := tx.SheetsDue(s.Now(), s.awaySince(), dueInOne)
			if err != nil {
				return err
			}
			told := []string{}
			for _, d := range due {
				if err := s.changeSheeted(tx, d.SheetID, d.DeviceID, d.Target); err != nil {
					return err
				}
				if d.Target != "" {
					told = append(told, d.DeviceID)
				}
				w.Tell(store.TopicDevices, d.DeviceID)
			}
			if done = len(due); len(told) == 0 {
				w.Quiet()
			}
			w.After = map[string]any{"devices": told}
			return nil
		})
		if err != nil || done < dueInOne {
			return err
		}
	}
}

// changeSheeted has a device told to change a password that is on a sheet; with an empty target nothing is left to
// change.
func (s *Service) changeSheeted(tx Records, sheet, device, target string) error {
	now := s.Now()
	if target != "" {
		if _, err := tx.AddOrders([]string{device}, store.Order{Kind: protocol.OrderRotate, Subject: target,
			CreatedBy: uow.Itself.Name, CreatedAt: now, Revealed: true}); err != nil {
			return err
		}
	}
	return tx.SheetOrdered(sheet, device, now)
}
