package deploy

import (
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// composition is what devices with the same scope and the same settings before are to have.
type composition struct {
	body, digest, held string
	asking             protocol.Asking // body, taken apart
	heldUnits          int
}

func (s *Service) settleDevices(
	tx Records, w *uow.Work, scope settledScope, ids []string, run *settlement,
) (changed int, busy []string, err error) {
	frozen, err := settlingFrozen(tx)
	if err == nil && frozen {
		err = errFrozen
	}
	if err != nil {
		return 0, nil, err
	}
	if err := tx.PutScope(scope.record); err != nil {
		return 0, nil, err
	}
	devices, err := tx.LockForSettling(ids)
	if err != nil {
		return 0, nil, err
	}
	if busy, err = busyAmong(tx, ids, devices); err != nil {
		return 0, nil, err
	}
	if changed, err = s.settleLocked(tx, w, scope, ids, devices, run); err != nil {
		return 0, nil, err
	}
	return changed, busy, nil
}

// busyAmong are the live devices that were asked for and are not among those that are locked.
func busyAmong(tx Records, asked []string, locked []store.SettledDevice) ([]string, error) {
	if len(asked) == len(locked) {
		return nil, nil
	}
	has := make(map[string]bool, len(locked))
	for _, d := range locked {
		has[d.ID] = true
	}
	others := slices.DeleteFunc(slices.Clone(asked), func(id string) bool { return has[id] })
	return tx.LiveAmong(others)
}

// settleLocked settles devices that are locked.
func (s *Service) settleLocked(
	tx Records, w *uow.Work, scope settledScope, ids []string, devices []store.SettledDevice, run *settlement,
) (changed int, err error) {
	holds := scope.lane.Holds() // then composing depends on what a device was told before
	back, err := s.givingBack(tx, ids)
	if err != nil {
		return 0, err
	}
	waived, err := tx.WaivedOf(ids)
	if err != nil {
		return 0, err
	}
	warrants, named, err := s.warrants(tx, ids)
	if err != nil {
		return 0, err
	}
	cache := map[string]composition{}
	var settled []store.SettlingResult
	stamps := make([]drift.Stamp, len(devices))
	for i, d := range devices {
		before := ""
		if holds {
			before = d.SettingsDigest
		}
		own := ownContent{back[d.ID], waived[d.ID], warrants[d.ID], named[d.ID]}
		key := before + " " + own.key()
		c, known := cache[key]
		if !known {
			if c, err = run.compose(tx, scope.lane, before, own); err != nil {
				return 0, err
			}
			cache[key] = c
			if err := tx.PutSettings(c.digest, c.body); err != nil {
				return 0, err
			}
		}
		next, err := run.resultFor(d, scope.record.Digest, c)
		if err != nil {
			return 0, err
		}
		if next.New {
			changed++
		}
		stamps[i] = next.Stamp
		if next.New || d.Scope != next.Scope || d.HeldUnits != c.heldUnits || c.heldUnits > 0 {
			settled = append(settled, next)
		}
	}
	if len(scope.rollouts) > 0 {
		told := make([]string, len(devices))
		for i, d := range devices {
			told[i] = d.ID
		}
		if err := tx.ToldWith(scope.rollouts, told, stamps, s.Now()); err != nil {
			return 0, err
		}
	}
	if len(settled) == 0 {
		return changed, nil
	}
	if err := tx.SetSettled(settled, s.Now()); err != nil {
		return 0, err
	}
	ids = ids[:0:0]
	for _, next := range settled {
		ids = append(ids, next.Device)
	}
	w.Tell(store.TopicDevices, ids...)
	return changed, nil
}

// resultFor is what settling comes to for a device: with a new stamp where it is to be told something else than before.
func (run *settlement) resultFor(d store.SettledDevice, scope string, c composition) (store.SettlingResult, error) {
	next := store.SettlingResult{
		Device:    d.ID,
		Name:      d.Name,
		Scope:     scope,
		Held:      c.held,
		HeldUnits: c.heldUnits,
		Stamp: drift.Stamp{
			Epoch:  d.DesiredEpoch,
			Number: d.DesiredNumber,
			Digest: d.DesiredDigest,
		},
		Settings: c.digest,
	}
	if d.DesiredNumber == 0 || d.SettingsDigest != c.digest || d.DesiredEpoch != run.epoch {
		next.New = true
		if next.Stamp.Number++; d.DesiredEpoch != run.epoch {
			next.Stamp.Epoch, next.Stamp.Number = run.epoch, 1
		}
		document, err := c.asking.Of(d.ID, d.Name, next.Stamp.Epoch, next.Stamp.Number)
		if err != nil {
			return next, err
		}
		next.Stamp.Digest = protocol.Digest(document)
	}
	return next, nil
}

// givesBackFor is for how long after a revert a device that returns gives back.
const givesBackFor = 90 * 24 * time.Hour

// coarse is how far behind the service's time a device may believe it to be.
const coarse = 2 * time.Second

// givingBack is what devices are to give back, by device.
func (s *Service) givingBack(tx Records, ids []string) (map[string][]protocol.GiveBack, error) {
	list, err := tx.GivingBack(ids, s.Now().Add(-givesBackFor))
	back := map[string][]protocol.GiveBack{}
	for _, g := range list {
		back[g.DeviceID] = append(back[g.DeviceID], protocol.GiveBack{
			Since: g.Since.UTC().Truncate(time.Second).Add(-coarse), Units: g.Units,
		})
	}
	return back, err
}

// ownContent is what a device is told beside what its assignments come to.
type ownContent struct {
	back     []protocol.GiveBack
	waived   []protocol.Waived
	warrants []protocol.Warrant
	named    []principal.Entry // people and groups of the directory that have warrants
}

// key is the same for devices that are told the same.
func (o ownContent) key() string {
	if len(o.back)+len(o.waived)+len(o.warrants) == 0 {
		return ""
	}
	return fmt.Sprint(o.back, o.waived, o.warrants, o.named)
}

func (run *settlement) compose(tx Records, lane resolve.Lane, before string, own ownContent) (composition, error) {
	previous, err := tx.Asked(before)
	if err != nil {
		return composition{}, err
	}
	settings, held := resolve.Compose(lane, previous.Settings)
	asked := protocol.DesiredContent{
		Settings:  settings,
		Directory: []principal.Entry{},
		GiveBack:  own.back,
		Waived:    own.waived,
		Warrants:  own.warrants,
	}
	known := principal.NewTable(previous.Directory)
	for _, ref := range unit.Named(settings) {
		if entry, ok := run.directory[ref]; ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: entry.SID})
		} else if sid, ok := known.SID(ref); ok {
			asked.Directory = append(asked.Directory, principal.Entry{Ref: ref, SID: sid}) // of a held unit
		}
	}
	asked.Directory = withNamed(asked.Directory, own.named)
	body, err := json.Marshal(asked)
	if err != nil {
		return composition{}, fmt.Errorf("composing a desired state: %w", err)
	}
	heldJSON, err := json.Marshal(held)
	if err != nil {
		return composition{}, fmt.Errorf("composing a desired state: %w", err)
	}
	asking, err := protocol.ReadAsking(string(body))
	return composition{string(body), protocol.Digest(body), string(heldJSON), asking, len(held)}, err
}
