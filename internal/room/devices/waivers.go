package devices

import (
	"context"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Bounds of waivers.
const (
	mostWaived  = 500                  // findings of one request
	waivedMost  = 366 * 24 * time.Hour // from now to the day on which one ends
	waiversOnce = 200                  // that are ended in one transaction
)

// Waive accepts findings until a day: their devices leave these things alone, and they are no drift. Where a second
// person must agree, a waiver waits. Words say what a finding is.
func (s *Service) Waive(
	ctx context.Context,
	who rights.Identity,
	ids []int64,
	until time.Time,
	reason string,
	words func(f store.Finding) string,
) (waivers []store.Waiver, err error) {
	reason, now := strings.TrimSpace(reason), s.Now()
	switch {
	case reason == "":
		return nil, refusal.New(refusal.Invalid, "say why it is accepted, for whoever looks at it later").At("reason")
	case len(ids) == 0 || len(ids) > mostWaived:
		return nil, refusal.New(refusal.Invalid, "name 1 to %d findings at a time", mostWaived).At("findings")
	case !until.After(now) || until.Sub(now) > waivedMost:
		return nil, refusal.New(refusal.Invalid, "a waiver ends in the future, within a year; choose another day").
			At("until")
	}
	act := uow.ByOperator(operation.WaiveFindings, who, "findings").Because(reason)
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		found, err := tx.FindingsWith(ids)
		if err != nil {
			return err
		}
		if len(found) != len(slices.Compact(slices.Sorted(slices.Values(ids)))) {
			return errNoFinding
		}
		devices := devicesOf(found)
		if look := who.Reach(rights.Look); !look.Everywhere() {
			outside, err := tx.OutOfReach(look, devices)
			if err == nil && outside != "" {
				err = errNoFinding
			}
			if err != nil {
				return err
			}
		}
		if err := reach.Check(tx, who, rights.Deploy, devices); err != nil {
			return err
		}
		if err := tx.LockDevices(devices); err != nil {
			return err
		}
		known := map[[3]string]bool{}
		told := []string{}
		for _, f := range found {
			if f.Kind == string(drift.NameInUse) {
				return refusal.New(refusal.Invalid, "the name of %s is no setting that could be left alone; rename "+
					"the workstation, or the device that has the name", f.Device).At("findings")
			}
			if f.State != store.FindingOpen || f.Kind == string(drift.UnitUnsupported) {
				return refusal.New(refusal.Conflict, "the finding on %s is not open any more (%s); read the list again",
					f.Device, f.State).
					WithCode("not_open")
			}
			key := [3]string{f.DeviceID, f.Unit, f.Subject}
			if known[key] {
				continue // several findings about one thing
			}
			known[key] = true
			waiver := store.Waiver{
				ID: store.NewID(
					now,
				), DeviceID: f.DeviceID, Device: f.Device, Unit: f.Unit, Subject: f.Subject, Words: words(f),
				State: store.WaiverActive, Reason: reason, Until: until, MadeBy: who.Name, MadeAt: now,
			}
			if s.SecondPersonWaives && isPrivileged(f.Unit) {
				waiver.State = store.WaiverWaiting
			} else if err := s.waived(tx, w, waiver, true); err != nil {
				return err
			}
			waivers = append(waivers, waiver)
			told = append(told, f.Device+": "+waiver.Words)
		}
		w.After = map[string]any{"until": until, "findings": told}
		return tx.AddWaivers(waivers)
	})
	return waivers, refusal.Named(err, "waiver", "of the same thing")
}

var errNoFinding = refusal.New(refusal.NotFound, "some of the findings do not exist any more; read the list again")

func devicesOf(found []store.Finding) []string {
	ids := make([]string, len(found))
	for i, f := range found {
		ids[i] = f.DeviceID
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// waived has the findings of a waiver be waived, or be open again, and tells the device.
func (s *Service) waived(tx Records, w *uow.Work, waiver store.Waiver, begins bool) error {
	if err := tx.Waive(waiver.DeviceID, waiver.Unit, waiver.Subject, begins); err != nil {
		return err
	}
	w.Tell(store.TopicReports, waiver.DeviceID)
	w.Settle("waiver of "+waiver.Unit, nil, []string{waiver.DeviceID})
	return nil
}

// DecideWaiver agrees to a waiver that waits for a second person, or refuses it.
func (s *Service) DecideWaiver(ctx context.Context, who rights.Identity, id string, agree bool) error {
	return s.alterWaiver(ctx, who, operation.DecideWaiver, id, func(tx Records, w *uow.Work, x *store.Waiver) error {
		switch {
		case x.State != store.WaiverWaiting:
			return refusal.New(refusal.Conflict, "the waiver does not wait for anybody (%s)", x.State).
				WithCode("nothing_to_approve")
		case x.MadeBy == who.Name:
			return refusal.New(refusal.Forbidden, "you asked for this waiver, so somebody else must agree").
				WithCode("own_request")
		case !agree:
			x.State, x.EndedBy, x.EndedAt = store.WaiverEnded, who.Name, new(s.Now())
			return nil
		}
		x.State, x.ApprovedBy = store.WaiverActive, who.Name
		return s.waived(tx, w, *x, true)
	})
}

// EndWaiver ends a waiver before its day.
func (s *Service) EndWaiver(ctx context.Context, who rights.Identity, id string) error {
	return s.alterWaiver(ctx, who, operation.EndWaiver, id, func(tx Records, w *uow.Work, x *store.Waiver) error {
		if x.State == store.WaiverEnded {
			return refusal.New(refusal.Conflict, "the waiver has ended already").WithCode("waiver_ended")
		}
		return s.end(tx, w, x, who.Name)
	})
}

func (s *Service) end(tx Records, w *uow.Work, x *store.Waiver, by string) error {
	active := x.State == store.WaiverActive
	x.State, x.EndedBy, x.EndedAt = store.WaiverEnded, by, new(s.Now())
	if !active {
		return nil
	}
	return s.waived(tx, w, *x, false)
}

func (s *Service) alterWaiver(
	ctx context.Context, who rights.Identity, op *operation.Operation, id string,
	do func(tx Records, w *uow.Work, x *store.Waiver) error,
) error {
	act := uow.ByOperator(op, who, id).ShowingAttempts()
	err := s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		x, err := tx.LockWaiver(id)
		if err != nil {
			return err
		}
		d, err := reach.Visible(tx, s.Clock(), who, x.DeviceID)
		if err != nil {
			return refusal.Missing("waiver", id).Hiding()
		}
		if err := reach.Check(tx, who, rights.Deploy, []string{x.DeviceID}); err != nil {
			return err
		}
		if err := do(tx, w, &x); err != nil {
			return err
		}
		w.After = map[string]any{"device": d.Name, "what": x.Words, "state": x.State}
		return tx.SetWaiver(x)
	})
	return refusal.Named(err, "waiver", id)
}

// EndWaivers ends those whose day has come.
func (s *Service) EndWaivers(ctx context.Context) error {
	for {
		ended := 0
		err := s.Do(ctx, uow.ByService("waiver.ended", "waivers"), func(tx Records, w *uow.Work) error {
			due, err := tx.DueWaivers(s.Now(), waiversOnce)
			if err != nil {
				return err
			}
			told := []string{}
			for i := range due {
				if err := s.end(tx, w, &due[i], uow.Itself.Name); err != nil {
					return err
				}
				if err := tx.SetWaiver(due[i]); err != nil {
					return err
				}
				told = append(told, due[i].Words)
			}
			if ended = len(due); ended == 0 {
				w.Quiet()
			}
			w.After = map[string]any{"findings": told}
			return nil
		})
		if err != nil || ended < waiversOnce {
			return err
		}
	}
}

// isPrivileged reports whether a setting, by its name, says who is in a local group that takes a device over.
func isPrivileged(setting string) bool {
	id, err := unit.Parse(setting)
	return err == nil && id.IsPrivileged()
}
