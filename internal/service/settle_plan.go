package service

import (
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire"
)

// planSettlement settles each distinct set of assignments that devices of the requests meet once.
func (s *Service) planSettlement(tx store.Tx, requests []store.SettleRequest, run *settlement) error {
	var groups, ids []string
	for _, r := range requests {
		run.requests = append(run.requests, r.ID)
		run.causes = append(run.causes, r.Cause)
		groups, ids = append(groups, r.Groups...), append(ids, r.Devices...)
	}
	run.causes = sortedSet(run.causes)
	devices, err := tx.LiveDevices(sortedSet(groups), sortedSet(ids))
	if err != nil {
		return err
	}
	run.devices = len(devices)
	f, err := s.inForce(tx)
	if err != nil {
		return err
	}
	members, err := membersOf(tx, f.groups(), devices)
	if err != nil {
		return err
	}
	settler := resolve.NewSettler(f.asks)
	for _, scope := range fleet.Scopes(len(devices), members, f.aims) {
		ids := make([]string, len(scope.Devices))
		for n, i := range scope.Devices {
			ids[n] = devices[i].ID
		}
		if err := f.brokenIn(scope); err != nil {
			run.failed = append(run.failed, failedScope{ids, err})
			continue
		}
		settled, err := f.settle(settler, scope)
		if err != nil {
			return err
		}
		settled.devices = ids
		run.scopes = append(run.scopes, settled)
	}
	return run.lookUp(tx)
}

// inForce is everything that may be asked of a device now, at the same indexes.
type inForce struct {
	records []store.Assignment
	aims    []assign.Assignment
	asks    []resolve.Assignment
	broken  map[int]error // assignments whose policy cannot be read
}

// brokenIn is why the devices of a scope cannot be settled, nil when they can.
func (f inForce) brokenIn(scope fleet.Scope) error {
	for _, at := range slices.Concat(scope.Applying, scope.Undecided) {
		if err := f.broken[at]; err != nil {
			return fmt.Errorf("assignment %s: %w", f.records[at].Name, err)
		}
	}
	return nil
}

func (s *Service) inForce(tx store.Tx) (inForce, error) {
	var f inForce
	var err error
	if f.records, err = tx.Assignments(); err != nil {
		return f, err
	}
	policies, broken, err := s.policiesInForce(tx, f.records)
	if err != nil {
		return f, err
	}
	f.broken = map[int]error{}
	for i, a := range f.records {
		key := revisionKey{a.PolicyID, a.Revision}
		if err := broken[key]; err != nil {
			f.broken[i], policies[key] = err, &policy.Normal{}
		}
		f.aims = append(f.aims, aimOf(a))
		f.asks = append(f.asks, resolve.Assignment{Name: a.Name, Rank: assign.Rank(a.Rank), Stance: assign.Stance(a.Stance), Policy: policies[revisionKey{a.PolicyID, a.Revision}]})
	}
	return f, nil
}

func aimOf(a store.Assignment) assign.Assignment {
	return assign.Assignment{Name: a.Name, Policy: a.Policy, Include: a.Include, Exclude: a.Exclude, Within: a.Within, Rank: assign.Rank(a.Rank), Stance: assign.Stance(a.Stance)}
}

// groups are those that assignments name.
func (f inForce) groups() []string {
	var names []string
	for _, a := range f.records {
		names = append(names, slices.Concat(a.Include, a.Exclude, a.Within)...)
	}
	return sortedSet(names)
}

// membersOf reads who is in groups, among the devices, by index.
func membersOf(tx store.Tx, groups []string, devices []store.DeviceName) (map[string]fleet.Members, error) {
	index := make(map[string]int, len(devices))
	for i, d := range devices {
		index[d.NameKey] = i
	}
	memberships, err := tx.MembersOf(groups)
	yes, perhaps := map[string][]int{}, map[string][]int{}
	for _, m := range memberships {
		i, there := index[m.Device]
		switch {
		case !there:
		case m.Certain:
			yes[m.Name] = append(yes[m.Name], i)
		default:
			perhaps[m.Name] = append(perhaps[m.Name], i)
		}
	}
	members := fleet.MembersOf(nil, make([]fleet.Facts, len(devices)))
	for _, g := range groups {
		if g != assign.Everything {
			members[g] = fleet.Listed(len(devices), yes[g], perhaps[g])
		}
	}
	return members, err
}

func (f inForce) settle(settler *resolve.Settler, scope fleet.Scope) (settledScope, error) {
	result := settler.Settle(scope.Applying, scope.Undecided)
	settled := settledScope{lane: result.Enforced}
	described := make([]store.ScopeAssignment, len(scope.Applying))
	for i, at := range scope.Applying {
		a := f.records[at]
		described[i] = store.ScopeAssignment{Assignment: a.Name, Policy: a.Policy, Revision: a.Revision, Rank: a.Rank, Stance: assign.Stance(a.Stance)}
	}
	var parts [3][]byte
	for i, part := range []any{described, result.Enforced, result.Projected} {
		data, err := json.Marshal(part)
		if err != nil {
			return settled, fmt.Errorf("describing a scope: %w", err)
		}
		parts[i] = data
	}
	settled.record = store.Scope{Digest: wire.Digest(slices.Concat(parts[:]...)), Assignments: string(parts[0]), Lane: string(parts[1])}
	if result.Projected != nil {
		settled.record.Projected = new(string(parts[2]))
	}
	return settled, nil
}

// lookUp reads the identifiers of the people and groups that any of the scopes names.
func (run *settlement) lookUp(tx store.Tx) error {
	named := map[string]bool{}
	for _, scope := range run.scopes {
		for _, ref := range namedIn(scope.lane.Settings()) {
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

// namedIn are the people and groups of the directory that settings name.
func namedIn(settings []unit.Setting) []principal.Ref {
	var refs []principal.Ref
	for _, s := range settings {
		if m, ok := s.Value.(unit.Members); ok {
			for _, ref := range slices.Concat(m.Present, m.Absent) {
				if ref.Kind().InDirectory() {
					refs = append(refs, ref)
				}
			}
		}
	}
	slices.SortFunc(refs, principal.Compare)
	return slices.Compact(refs)
}
