package reporting

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
)

// HeldSetting is a setting that is held for one reason, on how many devices, and by whom.
type HeldSetting struct {
	Unit    unit.ID
	Why     string // verdict or code of the problem
	Detail  string // in words, with the way out
	Devices int
	Device  *fleetview.Device // one of them
	Between []string          // assignments that differ, or that the problem is about
}

// HeldSettings lists what is held on devices in reach, most devices first; of a group when it is named.
func (s *Service) HeldSettings(ctx context.Context, who rights.Identity, group string) ([]HeldSetting, error) {
	if err := devicegroups.Asked(s.Read(ctx), group); err != nil {
		return nil, err
	}
	sums := newHeldSums()
	s.View.Each(
		s.Clock(),
		fleetview.Filter{Reach: who.Reach(rights.Look), Group: group},
		func(d *fleetview.Device, _ drift.Standing) bool {
			sums.add(d)
			return true
		},
	)
	list := []HeldSetting{}
	for _, h := range sums.held() {
		between, err := heldBy(s.Read(ctx), h)
		if err != nil {
			return nil, err
		}
		list = append(list, HeldSetting{
			Unit:    h.unit,
			Why:     h.why,
			Detail:  present.Held(resolve.HeldUnit{Unit: h.unit, Why: h.why}),
			Devices: h.devices,
			Device:  h.example,
			Between: between,
		})
	}
	return list, nil
}

// heldBy are the assignments because of which a setting is held, on the device that stands for all.
func heldBy(tx Reads, h *heldSum) ([]string, error) {
	between := []string{}
	if h.example.Scope == "" {
		return between, nil
	}
	scope, err := tx.Scope(h.example.Scope)
	if err != nil {
		return nil, err
	}
	var lane resolve.Lane
	if err := json.Unmarshal([]byte(scope.Lane), &lane); err != nil {
		return nil, fmt.Errorf("reading a scope: %w", err)
	}
	for _, p := range lane.Problems {
		if p.Code == resolve.UndecidedScope && h.why == string(p.Code) {
			between = append(between, p.Unit)
		}
	}
	for _, u := range lane.Units {
		if u.Unit != h.unit {
			continue
		}
		between = append(between, u.From...)
		for _, l := range u.Over {
			if h.why == string(resolve.Contested) && l.Why == resolve.Disputed {
				between = append(between, l.Assignment)
			}
		}
	}
	slices.Sort(between)
	return slices.Compact(between), nil
}

// LockedAccount is an account of a device that is locked after wrong passwords.
type LockedAccount struct {
	Device  *fleetview.Device
	Account store.LockedAccount
}

// LockedAccounts lists a page of locked accounts of devices in reach, by device.
func (s *Service) LockedAccounts(
	ctx context.Context, who rights.Identity, group string, p store.Page,
) ([]LockedAccount, string, error) {
	if err := devicegroups.Asked(s.Read(ctx), group); err != nil {
		return nil, "", err
	}
	after, err := p.After()
	if err != nil {
		return nil, "", err
	}
	list, next := []LockedAccount{}, ""
	now := s.Now()
	s.View.Each(
		s.Clock(),
		fleetview.Filter{Reach: who.Reach(rights.Look), Group: group},
		func(d *fleetview.Device, _ drift.Standing) bool {
			if d.NameKey < after.NameKey || d.NameKey == after.NameKey && d.ID <= after.ID {
				return true
			}
			if len(list) >= p.Fits() {
				last := list[len(list)-1].Device
				next = store.CursorOf(last.NameKey, last.ID)
				return false
			}
			for _, a := range d.Locked {
				if a.Until == nil || a.Until.After(now) {
					list = append(list, LockedAccount{d, a})
				}
			}
			return true
		},
	)
	return list, next, nil
}
