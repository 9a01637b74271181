package fleetview

import (
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/store"
)

// Filter narrows the devices of a view. Empty fields do not, but the zero Reach has none.
type Filter struct {
	Reach    auth.Reach
	Search   string // part of name, serial, model, platform, version, path, primary user or a tag
	Standing drift.Standing
	Group    string // name
	State    string // live when empty
}

// Each hands every device of a filter to visit, by name, until it says no.
func (v *View) Each(clock store.Clock, f Filter, visit func(d *Device, standing drift.Standing) bool) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	v.each(clock, f, v.order, visit)
}

func (v *View) each(clock store.Clock, f Filter, order []*Device, visit func(d *Device, standing drift.Standing) bool) {
	state, search, scope := f.State, text.Fold(f.Search), v.scope(f.Reach, f.Group)
	if state == "" {
		state = store.Live
	}
	for _, d := range order {
		if d.State != state || search != "" && !strings.Contains(d.search, search) || !scope.has(d) {
			continue
		}
		standing := drift.Stand(d.Heard, clock.Now, clock.Interval)
		if f.Standing != "" && standing != f.Standing {
			continue
		}
		if !visit(d, standing) {
			return
		}
	}
}

// Page gives the identifiers of the devices of a filter that come after a folded name and identifier,
// at most limit.
func (v *View) Page(clock store.Clock, f Filter, name, id string, limit int) []string {
	v.mu.RLock()
	defer v.mu.RUnlock()
	at, found := slices.BinarySearchFunc(v.order, &Device{NameKey: name, ID: id}, byName)
	if found {
		at++
	}
	ids := []string{}
	v.each(clock, f, v.order[at:], func(d *Device, _ drift.Standing) bool {
		ids = append(ids, d.ID)
		return len(ids) < limit
	})
	return ids
}

// IDs are the identifiers of the live devices in reach and in a group, at most limit; the number tells
// how many there are.
func (v *View) IDs(reach auth.Reach, group string, limit int) (ids []string, n int) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	scope := v.scope(reach, group)
	for _, d := range v.order {
		if d.State != store.Live || !scope.has(d) {
			continue
		}
		if n++; n <= limit {
			ids = append(ids, d.ID)
		}
	}
	return ids, n
}

// Has reports whether a device is in reach.
func (v *View) Has(reach auth.Reach, id string) bool {
	if reach.Everywhere() {
		return true
	}
	v.mu.RLock()
	defer v.mu.RUnlock()
	d := v.devices[id]
	return d != nil && v.scope(reach, "").has(d)
}

// Counts are numbers of devices by standing.
type Counts map[drift.Standing]int

// Total is the number of devices.
func (c Counts) Total() int {
	n := 0
	for _, k := range c {
		n += k
	}
	return n
}

// Count counts the devices of a filter by standing.
func (v *View) Count(clock store.Clock, f Filter) Counts {
	counts := Counts{}
	v.Each(clock, f, func(_ *Device, s drift.Standing) bool {
		counts[s]++
		return true
	})
	return counts
}

// Group is the devices of a group that are in reach.
type Group struct {
	Name   string
	Counts Counts
	Marks  []Mark // by name, at most those asked for
}

// Mark is one device of a group.
type Mark struct {
	ID, Name string
	Standing drift.Standing
}

// Groups are all groups by name with their devices in reach; up to marks devices are named.
func (v *View) Groups(clock store.Clock, reach auth.Reach, marks int) []Group {
	v.mu.RLock()
	defer v.mu.RUnlock()
	list := make([]Group, 0, len(v.groups))
	slots := int32(0)
	for name, slot := range v.groups {
		list = append(list, Group{Name: name, Counts: Counts{}})
		slots = max(slots, slot+1)
	}
	slices.SortFunc(list, func(a, b Group) int { return strings.Compare(a.Name, b.Name) })
	// There are a million memberships in a large fleet, so each is counted without looking anything up.
	tallies := make([]tally, slots)
	for i, g := range list {
		tallies[v.groups[g.Name]].group = &list[i]
	}
	v.each(clock, Filter{Reach: reach}, v.order, func(d *Device, s drift.Standing) bool {
		n := slices.Index(drift.Standings[:], s)
		for _, m := range d.groups {
			if m.group >= slots || !m.certain || tallies[m.group].group == nil {
				continue // the group has gone meanwhile, or the device may not be in it
			}
			t := &tallies[m.group]
			t.counts[n]++
			if len(t.group.Marks) < marks {
				t.group.Marks = append(t.group.Marks, Mark{d.ID, d.Name, s})
			}
		}
		return true
	})
	for _, t := range tallies {
		for n, s := range drift.Standings {
			if t.counts[n] > 0 {
				t.group.Counts[s] = t.counts[n]
			}
		}
	}
	return list
}

// tally counts the devices of a group by the index of their standing.
type tally struct {
	group  *Group
	counts [len(drift.Standings)]int
}

// Facts are the live devices in reach with what rules read of them.
func (v *View) Facts(reach auth.Reach) (devices []*Device, facts []fleet.Facts) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	scope := v.scope(reach, "")
	for _, d := range v.order {
		if d.State == store.Live && scope.has(d) {
			devices, facts = append(devices, d), append(facts, d.Facts)
		}
	}
	return devices, facts
}

// Silent is the time before which a device must have been heard from to count as silent.
func Silent(clock store.Clock) time.Time { return clock.Now.Add(-drift.SilentAfter * clock.Interval) }
