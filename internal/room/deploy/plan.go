package deploy

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/planning"

	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// plan plans what the devices of the requests are to have, as of one moment.
func (s *Service) plan(tx Reads, requests []store.SettleRequest, run *settlement) error {
	var groups, ids []string
	for _, r := range requests {
		run.requests = append(run.requests, r.ID)
		run.causes = append(run.causes, r.Cause)
		groups, ids = append(groups, r.Groups...), append(ids, r.Devices...)
	}
	run.causes = text.Set(run.causes)
	state, err := tx.ServiceState()
	if err != nil {
		return err
	}
	run.epoch = max(state.Epoch, 1)
	devices, err := tx.LiveDevices(text.Set(groups), text.Set(ids))
	if err != nil {
		return err
	}
	run.devices = len(devices)
	known, err := s.read(tx, devices)
	if err != nil {
		return err
	}
	if run.moves = known.plans.Moves(known.ids, known.in, strings.Join(run.causes, ", ")); len(run.moves) > 0 {
		return nil // first it is said who is in which rollout, then it is planned again
	}
	for _, carried := range known.sets() {
		if err := known.settle(run, carried); err != nil {
			return err
		}
	}
	return run.lookUp(tx)
}

// situation is what was read of some devices and of the rollouts that are under way.
type situation struct {
	ids         []string
	plans       *planning.Overlaid
	rollouts    []planning.UnderWay
	in          map[string]map[string]bool // devices by rollout
	carried     map[string][]string        // rollouts whose change a device has, by device
	revisions   map[string]int             // of the policies in force
	latest      map[string]planning.PolicyInUse
	assignments map[string]store.Assignment
}

// read reads what is in force for devices, and what rollouts add to it.
func (s *Service) read(tx Reads, devices []store.DeviceName) (*situation, error) {
	known := &situation{
		in: map[string]map[string]bool{}, carried: map[string][]string{},
		revisions: map[string]int{}, assignments: map[string]store.Assignment{},
	}
	planned := make([]planning.Device, len(devices))
	for i, d := range devices { // groups are as they were worked out, so that no rule reads a fact
		planned[i] = planning.Device{ID: d.ID, NameKey: d.NameKey, Facts: fleet.Facts{Name: d.NameKey}}
		known.ids = append(known.ids, d.ID)
	}
	records, err := tx.RolloutsUnderWay()
	if err != nil {
		return nil, err
	}
	if len(records) > 0 {
		index, err := planning.ByName(tx, planned)
		if err != nil {
			return nil, err
		}
		known.rollouts = planning.ReadUnderWay(records, change.Context{Parse: s.Documents.Parse, Index: index})
	}
	if err := readFacts(tx, known, planned); err != nil {
		return nil, err
	}
	if err := known.readDevices(tx); err != nil {
		return nil, err
	}
	also, err := planning.NamedByRollouts(tx, known.rollouts)
	if err != nil {
		return nil, err
	}
	in, assignments, err := planning.Read(tx, s.Documents, planned, also)
	if err != nil {
		return nil, err
	}
	for _, a := range assignments {
		known.assignments[a.Name], known.revisions[a.Policy] = a, a.Revision
	}
	known.latest, known.plans = also.Policies, planning.Overlay(in, known.rollouts)
	return known, nil
}

// readFacts reads what is known of devices, where a rollout brings a group by a rule.
func readFacts(tx Reads, known *situation, planned []planning.Device) error {
	if !planning.ReadsFacts(known.rollouts) {
		return nil
	}
	facts, err := tx.LiveFacts(known.ids)
	at := make(map[string]int, len(known.ids))
	for i, id := range known.ids {
		at[id] = i
	}
	for _, f := range facts {
		planned[at[f.ID]].Facts = f.Facts()
	}
	return err
}

// readDevices reads which of the devices are in which rollouts.
func (known *situation) readDevices(tx Reads) error {
	if len(known.rollouts) == 0 {
		return nil
	}
	list, err := tx.Carrying(known.ids)
	for _, c := range list {
		if known.in[c.RolloutID] == nil {
			known.in[c.RolloutID] = map[string]bool{}
		}
		known.in[c.RolloutID][c.DeviceID] = true
		if c.Has {
			known.carried[c.DeviceID] = append(known.carried[c.DeviceID], c.RolloutID)
		}
	}
	return err
}

// sets are the sets of rollouts that devices have, the empty one first.
func (known *situation) sets() [][]string {
	sets := [][]string{nil}
	for _, id := range known.ids {
		carried := known.carried[id]
		if !slices.ContainsFunc(sets, func(s []string) bool { return slices.Equal(s, carried) }) {
			sets = append(sets, carried)
		}
	}
	slices.SortFunc(sets, slices.Compare)
	return sets
}

// settle plans the devices that have exactly the changes of some rollouts.
func (known *situation) settle(run *settlement, carried []string) error {
	mine := func(i int) bool { return slices.Equal(known.carried[known.ids[i]], carried) }
	p, err := known.plans.With(carried)
	if err != nil { // they keep what they have
		f := failedScope{why: err}
		for i, id := range known.ids {
			if mine(i) {
				f.devices = append(f.devices, id)
			}
		}
		run.failed = append(run.failed, f)
		return nil
	}
	revisions := planning.Revisions(known.revisions, known.rollouts, known.latest, carried)
	for _, scope := range p.Scopes {
		ids := []string{}
		for _, i := range scope.Devices {
			if mine(i) {
				ids = append(ids, known.ids[i])
			}
		}
		switch {
		case len(ids) == 0:
			continue
		case scope.Err != nil:
			run.failed = append(run.failed, failedScope{ids, scope.Err})
			continue
		}
		settled, err := describe(scope, p.Assignments, revisions)
		if err != nil {
			return err
		}
		settled.devices, settled.rollouts = ids, carried
		run.scopes = append(run.scopes, settled)
	}
	return nil
}

// describe is a scope of a plan as it is stored.
func describe(scope plan.Scope, assignments []assign.Assignment, revisions map[string]int) (settledScope, error) {
	settled := settledScope{lane: scope.Enforced}
	described := make([]store.ScopeAssignment, len(scope.Applying))
	for i, at := range scope.Applying {
		a := assignments[at]
		described[i] = store.ScopeAssignment{
			Assignment: a.Name,
			Policy:     a.Policy,
			Revision:   revisions[a.Policy],
			Rank:       int(a.Rank),
			Stance:     a.Stance,
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
func (run *settlement) lookUp(tx Reads) error {
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
	directory, err := entriesOf(tx, refs)
	run.directory = directory
	return err
}

// entriesOf are the people and groups of some references that the directory knows.
func entriesOf(tx Reads, refs []string) (map[principal.Ref]principal.Entry, error) {
	entries, err := tx.DirectoryFor(refs, nil, nil)
	known := make(map[principal.Ref]principal.Entry, len(entries))
	for _, e := range entries {
		entry := e.Entry()
		known[entry.Ref] = entry
	}
	return known, err
}
