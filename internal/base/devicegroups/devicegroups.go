// Package devicegroups says who is in which group: listed by name, or by a rule over what is known of a device. Whoever
// changes names, facts, rules or lists has the groups computed again here.
package devicegroups

import (
	"maps"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/internal/store"
)

// Records is what is needed of the records to work groups out.
type Records interface {
	RuledGroups() ([]store.RuleGroup, error)
	LiveFacts(ids []string) ([]store.DeviceFacts, error)
	MembershipsOf(groups []store.RuleGroup, devices []store.DeviceFacts) (map[store.MemberKey]assign.Truth, error)
	DropMemberships(list []store.Membership) error
	PutMemberships(list []store.Membership) error
}

// Work has what follows a change told and settled.
type Work interface {
	Tell(topic string, ids ...string)
	Settle(cause string, groups, devices []string)
}

// Regroup works out the groups by rule for live devices, of all of them when none is given, and
// stores what changed. It gives the identifiers of the devices whose membership changed.
func Regroup(tx Records, groups []store.RuleGroup, devices []string) ([]string, error) {
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
			if now == stored[store.MemberKey{Group: g.ID, Device: d.ID}] {
				continue
			}
			m := store.Membership{Name: g.ID, Device: d.ID, Certain: now == assign.Yes}
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

// Rejoin works out the groups by rule of one device that has joined or has another name, and has replicas
// read where it is now.
func Rejoin(tx Records, w Work, device string) error {
	groups, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	if _, err := Regroup(tx, groups, []string{device}); err != nil {
		return err
	}
	w.Tell(store.TopicGroups, device)
	return nil
}

// FactsChanged works out the groups of devices whose facts changed, and has those settled that are in
// other groups now.
func FactsChanged(tx Records, w Work, cause string, ids []string) error {
	groups, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	changed, err := Regroup(tx, groups, ids)
	if err != nil || len(changed) == 0 {
		return err
	}
	w.Tell(store.TopicEdits)
	Moved(w, cause, changed)
	return nil
}

// Moved has devices that came into a group or left one told and settled.
func Moved(w Work, cause string, devices []string) {
	w.Tell(store.TopicGroups, devices...)
	w.Settle(cause, nil, devices)
}
