package accounts

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// tellWanted says of members which assignments ask for them; of whom none does, nobody wants.
func tellWanted(tx Reads, list []store.LocalMember) error {
	devices, refs := map[string]bool{}, map[principal.Ref]bool{}
	for _, m := range list {
		devices[m.DeviceID] = true
		if sid, err := principal.ParseSID(m.SID); err == nil && !m.Local {
			refs[principal.FromSID(sid)] = true
		}
	}
	scopes, err := tx.ScopesOf(slices.Collect(maps.Keys(devices)))
	if err != nil {
		return err
	}
	lanes, err := lanesOf(tx, slices.Collect(maps.Values(scopes)))
	if err != nil {
		return err
	}
	table, err := tx.DirectoryTable(slices.Collect(maps.Keys(refs)))
	if err != nil {
		return err
	}
	for i, m := range list {
		list[i].WantedBy = wantedBy(lanes[scopes[m.DeviceID]], m, table)
	}
	return nil
}

// lanesOf reads what is settled for scopes.
func lanesOf(tx Reads, digests []string) (map[string]resolve.Lane, error) {
	slices.Sort(digests)
	scopes, err := tx.LanesByDigest(slices.Compact(digests))
	lanes := map[string]resolve.Lane{}
	for _, s := range scopes {
		var lane resolve.Lane
		if err := json.Unmarshal([]byte(s.Lane), &lane); err != nil {
			return nil, fmt.Errorf("reading a scope: %w", err)
		}
		lanes[s.Digest] = lane
	}
	return lanes, err
}

// wantedBy are the assignments that ask for a member.
func wantedBy(lane resolve.Lane, m store.LocalMember, table *principal.Table) []string {
	for _, u := range lane.Units {
		name, is := u.Unit.LocalGroup()
		members, settled := u.Value.(unit.Members)
		same := drift.WellKnown(name).String() == m.GroupSID || text.Fold(name) == text.Fold(m.GroupName)
		if !is || !settled || !same {
			continue
		}
		for _, ref := range members.Present {
			if standsFor(ref, m, table) {
				return u.From
			}
		}
	}
	return nil
}

func standsFor(ref principal.Ref, m store.LocalMember, table *principal.Table) bool {
	switch ref.Kind() {
	case principal.Account:
		return m.Key == ref.Value()
	case principal.Builtin:
		return m.Builtin == ref.Value()
	case principal.Local:
		return m.Local && text.Fold(m.Name) == ref.Value()
	case principal.Bare:
		return ref.SID().String() == m.SID
	}
	sid, known := table.SID(ref)
	return known && sid.String() == m.SID
}
