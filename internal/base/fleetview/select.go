package fleetview

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/store"
)

// Filter narrows the devices of a view. Empty fields do not, but the zero Reach has none.
type Filter struct {
	Reach rights.Reach
	// Search is part of a name, serial, model, platform, version, path, primary user or a tag, or the beginning of the
	// name of a local account that is not built in.
	Search   string
	Standing drift.Standing
	Group    string // name
	State    string // live when empty
	// Unknown narrows to devices with accounts that no policy manages: any ([inventory.UnknownSome]), or one that can
	// take the device over.
	Unknown string
}

// Each hands every device of a filter to visit, by name, until it says no.
func (v *View) Each(clock store.Clock, f Filter, visit func(d *Device, standing drift.Standing) bool) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	v.each(clock, f, v.order, visit)
}

func (v *View) each(clock store.Clock, f Filter, order []*Device, visit func(d *Device, standing drift.Standing) bool) {
	state, search, scope := f.State, text.Fold(f.Search), v.scope(f.Reach, f.Group)
	live := state == "" || state == store.Live
	named := v.accounts.beginning(search)
	for _, d := range order {
		if d.live != live || !live && d.State != state || !scope.has(d) {
			continue
		}
		if search != "" && !strings.Contains(d.search, search) && !d.hasAccount(named) {
			continue
		}
		standing := clock.Stand(d.StandingInput)
		if f.Unknown != "" && d.UnknownAccounts != inventory.UnknownPrivileged && d.UnknownAccounts != f.Unknown {
			continue
		}
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
func (v *View) IDs(reach rights.Reach, group string, limit int) (ids []string, n int) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	scope := v.scope(reach, group)
	for _, d := range v.order {
		if !d.live || !scope.has(d) {
			continue
		}
		if n++; n <= limit {
			ids = append(ids, d.ID)
		}
	}
	return ids, n
}

// Within are the identifiers of the live devices in reach and in a group.
func (v *View) Within(reach rights.Reach, group string) []string {
	ids, _ := v.IDs(reach, group, math.MaxInt)
	return ids
}

// Has reports whether a device is in reach.
func (v *View) Has(reach rights.Reach, id string) bool {
	if reach.Everywhere() {
		return true
	}
	v.mu.RLock()
	defer v.mu.RUnlock()
	d := v.devices[id]
	return d != nil && v.scope(reach, "").has(d)
}

// Known finds the live device of an identifier or of a name that it has, or had and keeps; both are empty where there
// is none.
func (v *View) Known(idOrName string) (id, name string) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	if d := v.devices[idOrName]; d != nil {
		return d.ID, d.Name
	}
	key := text.Fold(idOrName)
	at, _ := slices.BinarySearchFunc(v.order, &Device{NameKey: key}, byName)
	for ; at < len(v.order) && v.order[at].NameKey == key; at++ {
		if d := v.order[at]; d.live {
			return d.ID, d.Name
		}
	}
	if d := v.devices[v.former[key]]; d != nil && d.live {
		return d.ID, d.Name
	}
	return "", ""
}

// Counts are numbers of devices by standing.
type Counts map[drift.Standing]int

// Tally counts devices by the index of their standing.
type Tally [len(drift.Standings)]int

// Add counts a device.
func (t *Tally) Add(s drift.Standing) { t[slices.Index(drift.Standings[:], s)]++ }

// Counts are those that are not 0.
func (t *Tally) Counts() Counts {
	counts := Counts{}
	for i, n := range t {
		if n > 0 {
			counts[drift.Standings[i]] = n
		}
	}
	return counts
}

// Total is the number of devices.
func (c Counts) Total() int {
	n := 0
	for _, k := range c {
		n += k
	}
	return n
}

// OpenFindings are the identifiers of open findings that pick chooses, of live devices in reach and in a
// group, largest first, at most limit.
func (v *View) OpenFindings(reach rights.Reach, group string, pick func(f *store.ViewFinding) bool, limit int) []int64 {
	v.mu.RLock()
	defer v.mu.RUnlock()
	scope := v.scope(reach, group)
	ids := []int64{}
	for _, d := range v.order {
		if !d.live || len(d.Findings) == 0 || !scope.has(d) {
			continue
		}
		for i := range d.Findings {
			if pick(&d.Findings[i]) {
				ids = append(ids, d.Findings[i].ID)
			}
		}
	}
	slices.SortFunc(ids, func(a, b int64) int { return cmp.Compare(b, a) })
	return ids[:min(len(ids), limit)]
}

// Count counts the devices of a filter by standing.
func (v *View) Count(clock store.Clock, f Filter) Counts {
	var t Tally
	v.Each(clock, f, func(_ *Device, s drift.Standing) bool {
		t.Add(s)
		return true
	})
	return t.Counts()
}

// Visit takes a device with its standing.
type Visit = func(d *Device, standing drift.Standing)

// Group is the devices of a group that are in reach.
type Group struct {
	Name   string
	Counts Counts
	Marks  []Mark           // by name, at most those asked for
	Field  []drift.Standing // of its devices by name, nil where there are more than those asked for
}

// Drawn says how the devices of groups are drawn.
type Drawn struct {
	Marks int // the most devices of a group that are named
	Field int // the most devices of a group whose standings are given one by one
}

// Mark is one device of a group.
type Mark struct {
	ID, Name string
	Standing drift.Standing
}

// Groups are all groups by name with their devices in reach, of which some are drawn. Every live device in reach is
// handed to visit as well, unless that is nil.
func (v *View) Groups(clock store.Clock, reach rights.Reach, drawn Drawn, visit Visit) []Group {
	v.mu.RLock()
	defer v.mu.RUnlock()
	slots := int32(0)
	for _, slot := range v.groups {
		slots = max(slots, slot+1)
	}
	// There are a million memberships in a large fleet, so each is counted without looking anything up.
	tallies, named, fields := make([]Tally, slots), make([][]Mark, slots), make([][]drift.Standing, slots)
	v.each(clock, Filter{Reach: reach}, v.order, func(d *Device, s drift.Standing) bool {
		n := slices.Index(drift.Standings[:], s)
		for _, group := range d.groups {
			if group >= slots {
				continue // made after the groups were read
			}
			tallies[group][n]++
			if len(named[group]) < drawn.Marks {
				named[group] = append(named[group], Mark{d.ID, d.Name, s})
			}
			if len(fields[group]) <= drawn.Field && drawn.Field > 0 {
				fields[group] = append(fields[group], s)
			}
		}
		if visit != nil {
			visit(d, s)
		}
		return true
	})
	list := make([]Group, 0, len(v.groups))
	for name, slot := range v.groups {
		if len(fields[slot]) > drawn.Field {
			fields[slot] = nil
		}
		list = append(list, Group{name, tallies[slot].Counts(), named[slot], fields[slot]})
	}
	slices.SortFunc(list, func(a, b Group) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// Devices are the live devices in reach, by name.
func (v *View) Devices(reach rights.Reach) []*Device {
	v.mu.RLock()
	defer v.mu.RUnlock()
	scope := v.scope(reach, "")
	devices := make([]*Device, 0, len(v.order))
	for _, d := range v.order {
		if d.live && scope.has(d) {
			devices = append(devices, d)
		}
	}
	return devices
}

// Live gives those of the devices that are live, by identifier, in the order that was asked for.
func (v *View) Live(ids []string) []*Device {
	v.mu.RLock()
	defer v.mu.RUnlock()
	live := make([]*Device, 0, len(ids))
	for _, id := range ids {
		if d := v.devices[id]; d != nil && d.live {
			live = append(live, d)
		}
	}
	return live
}

// Size counts the live devices.
func (v *View) Size() (n int) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	for _, d := range v.order {
		if d.live {
			n++
		}
	}
	return n
}

// GroupCount is a number of devices in a group.
type GroupCount struct {
	Name    string
	Devices int
}

// CountByGroup counts devices by the groups that they are certainly in: the largest number first, groups without one
// left out.
func (v *View) CountByGroup(devices []*Device) []GroupCount {
	v.mu.RLock()
	defer v.mu.RUnlock()
	counts := map[int32]int{}
	for _, d := range devices {
		for _, group := range d.groups {
			counts[group]++
		}
	}
	list := make([]GroupCount, 0, len(counts))
	for name, slot := range v.groups {
		if n := counts[slot]; n > 0 {
			list = append(list, GroupCount{name, n})
		}
	}
	slices.SortFunc(list, func(a, b GroupCount) int {
		return cmp.Or(cmp.Compare(b.Devices, a.Devices), strings.Compare(a.Name, b.Name))
	})
	return list
}

// GroupNames are the names of all groups by their slots, for [Device.In].
func (v *View) GroupNames() map[int32]string {
	v.mu.RLock()
	defer v.mu.RUnlock()
	names := make(map[int32]string, len(v.groups))
	for name, slot := range v.groups {
		names[slot] = name
	}
	return names
}

// In are the groups that the device is certainly in.
func (d *Device) In(names map[int32]string) []string {
	in := make([]string, 0, len(d.groups))
	for _, slot := range d.groups {
		if name, there := names[slot]; there {
			in = append(in, name)
		}
	}
	return in
}
