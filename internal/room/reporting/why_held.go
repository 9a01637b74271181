package reporting

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// undecided says of each assignment for which nobody can tell whether it applies to a device: which group
// decides it, which facts of the device are missing, and the way out.
func undecided(tx Reads, d store.Device, met []Met) (map[string]string, error) {
	said := map[string]string{}
	if !slices.ContainsFunc(met, func(m Met) bool { return m.Outcome == assign.Undecided }) {
		return said, nil
	}
	groups, err := tx.GroupsOf(d.ID)
	if err != nil {
		return nil, err
	}
	ruled, err := tx.RuledGroups()
	if err != nil {
		return nil, err
	}
	missing := map[string][]string{} // facts by group
	for _, g := range groups {
		i := slices.IndexFunc(ruled, func(r store.RuleGroup) bool { return r.Name == g.Name })
		if g.Certain || i < 0 {
			continue
		}
		rule, err := fleet.ParseRule(ruled[i].Rule)
		if err != nil {
			return nil, err // it was checked when it was saved
		}
		for _, fact := range rule.Reads() {
			if lacks(d, fact) {
				missing[g.Name] = append(missing[g.Name], "device."+fact)
			}
		}
	}
	for _, m := range met {
		if m.Outcome != assign.Undecided {
			continue
		}
		for _, group := range slices.Concat(m.Include, m.Exclude, m.Within) {
			if facts := missing[group]; len(facts) > 0 {
				said[m.Name] = fmt.Sprintf(
					"whether %s applies is unknown: the rule of the group %s reads %s, which this device has not "+
						"reported. Every setting keeps its value until it does; or write the rule with has(%s)",
					m.Name,
					group,
					strings.Join(facts, " and "),
					facts[0],
				)
				break
			}
		}
	}
	return said, nil
}

// lacks reports whether a device fact is not known.
func lacks(d store.Device, fact string) bool {
	switch fact {
	case "platform":
		return d.Platform == ""
	case "os_version":
		return d.OSVersion == ""
	case "os_build":
		return d.OSBuild == 0
	case "model":
		return d.Model == ""
	case "serial":
		return d.Serial == ""
	}
	return false
}

// mostLookedBack is how many former desired states are looked through for where a kept value comes from.
const mostLookedBack = 200

// keptFrom is the number of the desired state that first gave a device the value of a setting which it keeps.
func keptFrom(tx Reads, d store.Device, id unit.ID, value unit.Value) (int64, error) {
	states, err := tx.DesiredBefore(d.ID, d.DesiredEpoch, mostLookedBack)
	if err != nil {
		return 0, err
	}
	from := d.DesiredNumber
	same := map[string]bool{}
	for _, s := range states {
		is, known := same[s.Settings]
		if !known {
			asked, err := tx.Asked(s.Settings)
			if errors.Is(err, store.ErrNotFound) {
				return from, nil // no longer kept
			}
			if err != nil {
				return 0, err
			}
			before := valuesOf(asked.Settings)[id]
			is = before != nil && before.Equal(value)
			same[s.Settings] = is
		}
		if !is {
			return from, nil
		}
		from = s.Number
	}
	return from, nil
}
