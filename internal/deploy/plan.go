package deploy

import (
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/inforce"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/store"
)

// plan plans what the devices of the requests are to have, as of one moment.
func (s *Service) plan(tx Records, requests []store.SettleRequest, run *settlement) error {
	var groups, ids []string
	for _, r := range requests {
		run.requests = append(run.requests, r.ID)
		run.causes = append(run.causes, r.Cause)
		groups, ids = append(groups, r.Groups...), append(ids, r.Devices...)
	}
	run.causes = text.Set(run.causes)
	devices, err := tx.LiveDevices(text.Set(groups), text.Set(ids))
	if err != nil {
		return err
	}
	run.devices = len(devices)
	planned := make([]inforce.Device, len(devices))
	for i, d := range devices { // groups are as they were worked out, so that no rule reads a fact
		planned[i] = inforce.Device{NameKey: d.NameKey, Facts: fleet.Facts{Name: d.NameKey}}
	}
	in, records, err := inforce.Read(tx, s.Documents, planned, inforce.Also{})
	if err != nil {
		return err
	}
	for _, scope := range plan.Run(in, fleet.InTurn).Scopes {
		ids := make([]string, len(scope.Devices))
		for n, i := range scope.Devices {
			ids[n] = devices[i].ID
		}
		if scope.Err != nil {
			run.failed = append(run.failed, failedScope{ids, scope.Err})
			continue
		}
		settled, err := describe(scope, records)
		if err != nil {
			return err
		}
		settled.devices = ids
		run.scopes = append(run.scopes, settled)
	}
	return run.lookUp(tx)
}

// describe is a scope of a plan as it is stored, with the assignments at the indexes of the plan.
func describe(scope plan.Scope, records []store.Assignment) (settledScope, error) {
	settled := settledScope{lane: scope.Enforced}
	described := make([]store.ScopeAssignment, len(scope.Applying))
	for i, at := range scope.Applying {
		a := records[at]
		described[i] = store.ScopeAssignment{
			Assignment: a.Name,
			Policy:     a.Policy,
			Revision:   a.Revision,
			Rank:       a.Rank,
			Stance:     assign.Stance(a.Stance),
		}
	}
	var parts [3][]byte
	for i, part := range []any{described, scope.Enforced, scope.Projected} {
		data, err := json.Marshal(part)
		if err != nil {
			return settled, fmt.Errorf("describing a scope: %w", err)
		}
		parts[i] = data
	}
	settled.record = store.Scope{
		Digest:      protocol.Digest(slices.Concat(parts[:]...)),
		Assignments: string(parts[0]),
		Lane:        string(parts[1]),
	}
	if scope.Projected != nil {
		settled.record.Projected = new(string(parts[2]))
	}
	return settled, nil
}

// lookUp reads the identifiers of the people and groups that any of the scopes names.
func (run *settlement) lookUp(tx Records) error {
	named := map[string]bool{}
	for _, scope := range run.scopes {
		for _, ref := range unit.Named(scope.lane.Settings()) {
			named[ref.String()] = true
		}
	}
	refs := make([]string, 0, len(named))
	for ref := range named {
		refs = append(refs, ref)
	}
	slices.Sort(refs)
	entries, err := tx.DirectoryFor(refs, nil, nil)
	run.directory = make(map[principal.Ref]principal.Entry, len(entries))
	for _, e := range entries {
		entry := e.Entry()
		run.directory[entry.Ref] = entry
	}
	return err
}
