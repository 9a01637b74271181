package service

import (
	"maps"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/internal/store"
)

// regroup works out the groups by rule for live devices, of all of them when none is given, and
// stores what changed. It gives the identifiers of the devices whose membership changed.
func regroup(tx store.Tx, groups []store.Ruled, devices []string) ([]string, error) {
	if len(groups) == 0 || devices != nil && len(devices) == 0 {
		return nil, nil
	}
	known, err := tx.LiveFacts(devices)
	if err != nil {
		return nil, err
	}
	facts := make([]fleet.Facts, len(known))
	ruled := make([]fleet.Group, len(groups))
	for i, d := range known {
		facts[i] = d.Facts()
	}
	for i, g := range groups {
		rule, err := fleet.ParseRule(g.Rule)
		if err != nil {
			return nil, err // it was checked when it was saved
		}
		ruled[i] = fleet.Group{Name: g.Name, Rule: rule}
	}
	members := fleet.MembersOf(ruled, facts)
	stored, err := tx.MembershipsOf(groups, known)
	if err != nil {
		return nil, err
	}
	changed := map[string]bool{}
	var gone, fresh []store.Membership
	for _, g := range groups {
		for i, d := range known {
			now := members[g.Name].Of(i)
			if now == stored[store.MemberKey{Group: g.ID, Device: d.NameKey}] {
				continue
			}
			m := store.Membership{Name: g.ID, Device: d.NameKey, Certain: now == assign.Yes}
			if now == assign.No {
				gone = append(gone, m)
			} else {
				fresh = append(fresh, m)
			}
			changed[d.ID] = true
		}
	}
	if err := tx.DropMemberships(gone); err != nil {
		return nil, err
	}
	if err := tx.PutMemberships(fresh); err != nil {
		return nil, err
	}
	return slices.Sorted(maps.Keys(changed)), nil
}

// rejoin works out the groups by rule of one device that has joined or has another name, and has replicas
// read where it is now.
func rejoin(tx store.Tx, device string) error {
	groups, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	if _, err := regroup(tx, groups, []string{device}); err != nil {
		return err
	}
	return tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: []string{device}})
}

// factsChanged works out the groups of devices whose facts changed, and asks for those that are in
// other groups now to be settled.
func (s *Service) factsChanged(tx store.Tx, cause string, ids []string) error {
	groups, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	changed, err := regroup(tx, groups, ids)
	if err != nil || len(changed) == 0 {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicEdits}); err != nil {
		return err
	}
	if err := tx.Notify(store.Notice{Topic: store.TopicGroups, IDs: changed}); err != nil {
		return err
	}
	return tx.RequestSettle(store.SettleRequest{Cause: cause, Devices: changed, CreatedAt: s.Now()})
}
