package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
	"rankwarden.example/core/words"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Devices lists a page.
func (s *Service) Devices(ctx context.Context, f store.DeviceFilter, p store.Page) ([]store.Device, string, error) {
	return s.Store.With(ctx).ListDevices(s.clock(), f, p)
}

// CountDevices counts devices by standing.
func (s *Service) CountDevices(ctx context.Context, f store.DeviceFilter) (map[drift.Standing]int, error) {
	return s.Store.With(ctx).CountDevices(s.clock(), f)
}

// Device finds one by identifier or name.
func (s *Service) Device(ctx context.Context, idOrName string) (store.Device, error) {
	d, err := s.Store.With(ctx).Device(s.clock(), idOrName, text.Fold(idOrName))
	return d, named(err, "device", idOrName)
}

// Asked is one unit of a device: what is asked, what it has, and why.
type Asked struct {
	Unit     resolve.UnitID
	Section  string
	Title    string
	Asked    string // in words; what it is told, for a held unit what it was told before
	Has      string // in words
	Why      string // in words
	Settled  resolve.Unit
	Told     resolve.Value // nil when a held unit never had a value
	HeldWhy  string        // in words, empty when not held
	Findings []drift.Finding
	InStep   bool // reported, and no finding
}

// DeviceWhy is the answer to: what is asked of this device, what has it, and why?
type DeviceWhy struct {
	Device      store.Device
	Assignments []scopeAssignment
	Units       []Asked
	Problems    []resolve.Problem
	Reported    *drift.Report // nil before the first report
}

// Why explains a device, unit by unit.
func (s *Service) Why(ctx context.Context, idOrName string) (DeviceWhy, error) {
	var out DeviceWhy
	err := s.Store.InSnapshot(ctx, func(tx store.Tx) error {
		d, err := tx.Device(s.clock(), idOrName, text.Fold(idOrName))
		if err != nil {
			return err
		}
		out.Device = d
		var lane resolve.Lane
		if d.Scope != nil {
			scope, err := tx.Scope(*d.Scope)
			if err != nil {
				return err
			}
			if err := errors.Join(json.Unmarshal([]byte(scope.Lane), &lane), json.Unmarshal([]byte(scope.Assignments), &out.Assignments)); err != nil {
				return fmt.Errorf("reading a scope: %w", err)
			}
		}
		out.Problems = lane.Problems
		told, err := tx.Settings(d.SettingsDigest)
		if err != nil {
			return err
		}
		if d.ReportID != nil {
			report, _, err := tx.ReportBody(*d.ReportID)
			if err != nil {
				return err
			}
			out.Reported = &report
		}
		named, err := reportedOn(tx, d, told)
		if err != nil {
			return err
		}
		out.Units = explain(lane, told, named, d.Held, out.Reported)
		return nil
	})
	return out, named(err, "device", idOrName)
}

// reportedOn gives the settings that the last report names: while a newer desired state is not yet
// reported back, what the device has can only be compared with the former one.
func reportedOn(tx store.Tx, d store.Device, told []resolve.Setting) ([]resolve.Setting, error) {
	if d.ReportedNumber == 0 || d.ReportedEpoch == d.DesiredEpoch && d.ReportedNumber == d.DesiredNumber {
		return told, nil
	}
	former, err := tx.DesiredState(d.ID, d.ReportedEpoch, d.ReportedNumber)
	if err != nil {
		return nil, err
	}
	return tx.Settings(former.Settings)
}

func valuesOf(settings []resolve.Setting) map[resolve.UnitID]resolve.Value {
	values := map[resolve.UnitID]resolve.Value{}
	for _, s := range settings {
		values[s.Unit] = s.Value
	}
	return values
}

func explain(lane resolve.Lane, told, reported []resolve.Setting, held []resolve.Held, report *drift.Report) []Asked {
	value, former := valuesOf(told), valuesOf(reported)
	findings := map[resolve.UnitID][]drift.Finding{}
	if report != nil {
		for _, f := range drift.Check(reported, report.State, report.Failures) {
			findings[f.Unit] = append(findings[f.Unit], f)
		}
	}
	units := []Asked{}
	for _, u := range lane.Units {
		a := Asked{Unit: u.Unit, Section: words.Section(u.Unit), Title: words.Unit(u.Unit), Why: words.Why(u), Settled: u,
			Told: value[u.Unit], Findings: []drift.Finding{}, Has: "not reported yet"}
		a.Asked = words.Value(u.Unit, a.Told)
		for _, h := range held {
			if h.Unit == u.Unit {
				a.HeldWhy = words.Held(h)
			}
		}
		if a.Told == nil && a.HeldWhy != "" {
			a.Asked = "nothing yet, held"
		}
		if report != nil {
			a.Has = words.Has(u.Unit, report.State)
			if now, before := a.Told, former[u.Unit]; now != nil && before != nil && now.Equal(before) {
				a.Findings = findings[u.Unit]
				a.InStep = len(a.Findings) == 0
			}
		}
		units = append(units, a)
	}
	slices.SortFunc(units, func(a, b Asked) int { return words.Compare(a.Unit, b.Unit) })
	return units
}

// DecideClaim accepts a device that claims to be a live one, which is retired then, or refuses it.
func (s *Service) DecideClaim(ctx context.Context, who auth.Identity, id string, accept bool) error {
	action := map[bool]string{true: "device.accepted", false: "device.refused"}[accept]
	if err := s.allow(ctx, who, action, id); err != nil {
		return err
	}
	return named(s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.LockDevice(id)
		if err != nil {
			return err
		}
		if d.State != store.Claiming {
			return failf(Conflict, "the device %s is %s; only one that claims to be another can be accepted or refused", d.Name, d.State)
		}
		changed := []string{d.ID}
		state := store.Refused
		if accept {
			state = store.Live
			if err := tx.SetDeviceState(*d.Claims, store.Retired); err != nil {
				return err
			}
			changed = append(changed, *d.Claims)
		}
		if err := tx.SetDeviceState(d.ID, state); err != nil {
			return err
		}
		if accept {
			if err := s.joinFleet(tx, d, nil); err != nil {
				return err
			}
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: changed}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: action, object: d.ID, after: map[string]any{"name": d.Name, "claims": d.Claims}})
	}), "device", id)
}

// Retire ends a device's place in the fleet; it is told nothing more, and may not report.
func (s *Service) Retire(ctx context.Context, who auth.Identity, id string) error {
	if err := s.allow(ctx, who, "device.retired", id); err != nil {
		return err
	}
	return named(s.InTx(ctx, func(tx store.Tx) error {
		d, err := tx.LockDevice(id)
		if err != nil {
			return err
		}
		if d.State == store.Retired {
			return failf(Conflict, "the device %s is retired already", d.Name)
		}
		if err := tx.SetDeviceState(d.ID, store.Retired); err != nil {
			return err
		}
		if err := tx.Notify(store.Notice{Topic: store.TopicDevices, IDs: []string{d.ID}}); err != nil {
			return err
		}
		return s.audit(tx, who, record{action: "device.retired", object: d.ID, before: map[string]any{"name": d.Name, "state": d.State}})
	}), "device", id)
}
