package intake

import (
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/store"
)

// takeFindings compares a report under the newest desired state with what was open before, and
// gives the number of open findings that make a device drifted.
func (s *Service) takeFindings(tx Records, d store.Device, r drift.Report) (int, error) {
	asked, err := tx.Asked(d.SettingsDigest)
	if err != nil {
		return 0, err
	}
	settings := asked.Settings
	before, looked := r.Before()
	if err := s.rotationsReported(tx, d, settings, &r.State, &before); err != nil {
		return 0, err
	}
	directory, err := tx.DirectoryOf(settings, &r.State, &before)
	if err != nil {
		return 0, err
	}
	ctx := drift.Context{Directory: directory, Now: s.Now(), Grace: s.Interval}
	open, err := tx.OpenFindings(d.ID)
	if err != nil {
		return 0, err
	}
	have, had := drift.Check(settings, &r.State, r.Failures, ctx), []drift.Finding(nil)
	if looked {
		had = drift.Check(settings, &before, nil, ctx)
	}
	var whose map[unit.ID][]string
	var waivers map[string][]protocol.Waived
	if len(have)+len(had) > 0 { // most devices have nothing to be told of
		if whose, err = rulesOf(tx, d); err != nil {
			return 0, err
		}
		if waivers, err = tx.WaivedOf([]string{d.ID}); err != nil {
			return 0, err
		}
	}
	waived := func(f drift.Finding) bool {
		return slices.ContainsFunc(waivers[d.ID], func(x protocol.Waived) bool { return x.Unit == f.Unit && x.Subject == f.Subject })
	}
	now := s.Now()
	known := map[string]store.Finding{}
	for _, f := range open {
		known[f.Key] = f
	}
	var fresh []store.Finding
	counted, present := 0, map[string]bool{}
	moved := map[string][]int64{} // findings that are in another state than they should be
	for _, f := range have {
		state := store.FindingOpen
		switch {
		case waived(f):
			state = store.FindingWaived
		case f.Kind != drift.UnitUnsupported:
			counted++
		}
		present[f.Key()] = true
		if before, again := known[f.Key()]; again {
			if before.State != state {
				moved[state] = append(moved[state], before.ID)
			}
			if err := tx.SeenAgain(before.ID, jsonOf(f.Actual), whose[f.Unit], now); err != nil {
				return 0, err
			}
			continue
		}
		fresh = append(fresh, newFinding(d.ID, f, whose[f.Unit], state, now))
	}
	for state, ids := range moved {
		if err := tx.SetFindingState(ids, state); err != nil {
			return 0, err
		}
	}
	for _, f := range had {
		if _, wasOpen := known[f.Key()]; !present[f.Key()] && !wasOpen {
			fresh = append(fresh, newFinding(d.ID, f, whose[f.Unit], store.FindingCorrected, now))
		}
	}
	var gone []int64
	for key, f := range known {
		if !present[key] {
			gone = append(gone, f.ID)
		}
	}
	slices.Sort(gone)
	if len(gone) > 0 {
		if err := tx.CloseFindings(gone, now); err != nil {
			return 0, err
		}
	}
	return counted, tx.AddFindings(fresh)
}

// rulesOf says which assignments decided each unit of a device.
func rulesOf(tx Records, d store.Device) (map[unit.ID][]string, error) {
	if d.Scope == nil {
		return map[unit.ID][]string{}, nil
	}
	scope, err := tx.Scope(*d.Scope)
	if err != nil {
		return nil, err
	}
	return scope.DecidedBy()
}

func newFinding(device string, f drift.Finding, assignments []string, state string, now time.Time) store.Finding {
	if assignments == nil {
		assignments = []string{}
	}
	record := store.Finding{
		DeviceID: device,
		Key:      f.Key(),
		Unit:     f.Unit.String(),
		Kind:     string(f.Kind),
		Subject:  f.Subject,
		Expected: jsonOf(
			f.Expected,
		),
		Actual:      jsonOf(f.Actual),
		Assignments: assignments,
		State:       state,
		FirstSeen:   now,
		LastSeen:    now,
	}
	if state == store.FindingCorrected {
		record.ClosedAt = &now
	}
	return record
}

func jsonOf(value any) *string {
	if value == nil {
		return nil
	}
	data, err := json.Marshal(value)
	if err != nil {
		return nil // only values of core are given, which marshal
	}
	return new(string(data))
}
