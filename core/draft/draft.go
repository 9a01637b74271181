package draft

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Draft is a first policy, and what it leaves out.
type Draft struct {
	Document  *policy.Document // nil where devices have nothing in common
	Devices   int              // whose reports were read
	Silent    int              // that never reported
	Settings  []Setting
	NotKept   []NotKept
	Unwritten []string // what there is and a policy cannot say, in words
}

// Setting is how far devices agree on a setting.
type Setting struct {
	Unit    unit.ID
	Value   unit.Value // of the most devices
	Devices int        // that have it
	Other   int        // that have another one
	Drafted bool       // the policy asks for it
}

// NotKept is a member of a local group that the policy would take out.
type NotKept struct {
	Unit    unit.ID
	Member  principal.Ref
	Devices int
}

// Draft makes the policy of a name. A value is common when at most tolerance percent of the devices have another
// one; it is from 0 to 49.
func (t *Tally) Draft(name string, tolerance int) Draft {
	d := Draft{Devices: t.devices, Silent: t.silent, Settings: []Setting{}, NotKept: []NotKept{}, Unwritten: []string{}}
	doc := &policy.Document{Name: name, Title: "Drafted from what devices have",
		Notes: fmt.Sprintf("The values that at least %d %% of %d devices had in common.", 100-tolerance, t.devices)}
	common := func(devices int) bool { return devices > 0 && devices*100 >= t.devices*(100-tolerance) }
	for _, id := range valued {
		if s, any := t.most(id); any {
			s.Drafted = common(s.Devices)
			d.Settings = append(d.Settings, s)
			if s.Drafted {
				write(doc, s)
			}
		}
	}
	together(doc, &d)
	for _, key := range slices.Sorted(maps.Keys(t.accounts)) {
		if a, can := t.accounts[key].written(key, common); can {
			doc.Accounts = append(doc.Accounts, a)
		} else {
			d.Unwritten = append(d.Unwritten, fmt.Sprintf(
				"the managed account %s: its name, state or description differs among the devices", key))
		}
	}
	for _, name := range slices.Sorted(maps.Keys(t.groups)) {
		t.membership(doc, &d, name, common)
	}
	if t.sudoers > 0 {
		d.Unwritten = append(d.Unwritten, fmt.Sprintf("sudoers of %s make somebody root", plural(t.sudoers)))
	}
	if len(doc.Accounts) > 0 || len(doc.Membership) > 0 || doc.Builtins != nil || doc.Passwords != nil ||
		doc.Lockout != nil {
		d.Document = doc
	}
	return d
}

func plural(n int) string {
	if n == 1 {
		return "1 device"
	}
	return fmt.Sprintf("%d devices", n)
}

// most is the value of a setting that the most devices have; of equal ones the first in words.
func (t *Tally) most(id unit.ID) (s Setting, any bool) {
	for _, key := range slices.Sorted(maps.Keys(t.values[id])) {
		if c := t.values[id][key]; c.devices > s.Devices {
			s = Setting{Unit: id, Value: c.value, Devices: c.devices}
		}
	}
	s.Other = t.devices - s.Devices - t.unread[id]
	return s, s.Devices > 0
}

// write puts a value into a document.
func write(doc *policy.Document, s Setting) {
	if ref, property, is := s.Unit.Builtin(); is {
		if doc.Builtins == nil {
			doc.Builtins = &policy.Builtins{}
		}
		at := &doc.Builtins.Administrator
		if ref == principal.Guest {
			at = &doc.Builtins.Guest
		}
		if *at == nil {
			*at = &policy.Builtin{}
		}
		if property == unit.BuiltinName {
			(*at).Name = new(string(s.Value.(unit.Text)))
		} else {
			(*at).Enabled = new(bool(s.Value.(unit.Bool)))
		}
		return
	}
	if v, is := s.Value.(unit.LockoutValue); is {
		doc.Lockout = &policy.Lockout{Threshold: v.Threshold}
		if v.Threshold > 0 {
			doc.Lockout.Duration = new(time.Duration(v.DurationMinutes) * time.Minute)
			doc.Lockout.Window = new(time.Duration(v.WindowMinutes) * time.Minute)
		}
		return
	}
	if doc.Passwords == nil {
		doc.Passwords = &policy.Passwords{}
	}
	switch p := doc.Passwords; s.Unit {
	case unit.MinLength:
		p.MinLength = new(int(s.Value.(unit.Int)))
	case unit.History:
		p.History = new(int(s.Value.(unit.Int)))
	case unit.MaxAgeDays:
		p.MaxAgeDays = new(int(s.Value.(unit.Int)))
	case unit.MinAgeDays:
		p.MinAgeDays = new(int(s.Value.(unit.Int)))
	case unit.Complexity:
		p.Complexity = new(bool(s.Value.(unit.Bool)))
	}
}

// together leaves out what a document may not have together, though devices do.
func together(doc *policy.Document, d *Draft) {
	drop := func(id unit.ID, why string) {
		d.Unwritten = append(d.Unwritten, why)
		for i := range d.Settings {
			if d.Settings[i].Unit == id {
				d.Settings[i].Drafted = false
			}
		}
	}
	if p := doc.Passwords; p != nil && p.MaxAgeDays != nil && p.MinAgeDays != nil && *p.MaxAgeDays > 0 &&
		*p.MinAgeDays >= *p.MaxAgeDays {
		p.MinAgeDays = nil
		drop(unit.MinAgeDays, "a minimum age of passwords that is not below the maximum age")
	}
	if l := doc.Lockout; l != nil && l.Threshold > 0 &&
		(*l.Window < time.Minute || *l.Duration > 0 && *l.Window > *l.Duration) {
		doc.Lockout = nil
		drop(unit.Lockout, "a lockout whose window is longer than its duration")
	}
}

// written is a managed account as a policy has it, where devices agree enough.
func (m *managed) written(key string, common func(devices int) bool) (policy.Account, bool) {
	name, with := top(m.literal)
	if !common(with) {
		name, with = top(m.names)
	}
	state, in := top(m.states)
	details, described := topBy(m.details, func(d unit.Details) string { return fmt.Sprint(d) })
	if !common(with) || !common(in) || !common(described) {
		return policy.Account{}, false
	}
	return policy.Account{Key: key, Name: name, State: state, Details: details}, true
}

func top[K cmp.Ordered](counts map[K]int) (most K, n int) {
	for _, k := range slices.Sorted(maps.Keys(counts)) {
		if counts[k] > n {
			most, n = k, counts[k]
		}
	}
	return most, n
}

func topBy[K comparable](counts map[K]int, order func(K) string) (most K, n int) {
	keys := slices.SortedFunc(maps.Keys(counts), func(a, b K) int { return cmp.Compare(order(a), order(b)) })
	for _, k := range keys {
		if counts[k] > n {
			most, n = k, counts[k]
		}
	}
	return most, n
}

// membership drafts a local group: who is in it on most devices. A privileged group gets an exact list, so that whoever
// is in it on few devices leaves. Where others are in it on more devices than may deviate, and of any other group, only
// the common members are asked for.
func (t *Tally) membership(doc *policy.Document, d *Draft, name string, common func(devices int) bool) {
	g := t.groups[name]
	m := policy.Membership{LocalGroup: name, Custom: g.custom, Mode: unit.Adjust}
	id := unit.MembershipOf(name)
	written := func(ref principal.Ref) bool {
		key := ref.Kind() == principal.Account
		return !key || slices.ContainsFunc(doc.Accounts, func(a policy.Account) bool { return a.Key == ref.Value() })
	}
	var rare []NotKept
	agreed := true // whoever else is in it is on no more devices than may deviate
	for _, ref := range slices.SortedFunc(maps.Keys(g.members), principal.Compare) {
		if n := g.members[ref]; common(n) && written(ref) {
			m.Members = append(m.Members, ref)
		} else {
			rare = append(rare, NotKept{id, ref, n})
			agreed = agreed && common(t.devices-n)
		}
	}
	// The list of administrators is exact only where the built-in administrator is in it anyway: a document with an
	// exact list always has it there.
	builtin := slices.Contains(m.Members, principal.Administrator)
	if unit.IsPrivileged(name) && common(g.devices) && (name != unit.GroupAdministrators || builtin) &&
		len(m.Members) > 0 {
		if agreed {
			m.Mode = unit.Exact
			d.NotKept = append(d.NotKept, rare...)
		} else {
			d.Unwritten = append(d.Unwritten, fmt.Sprintf("an exact list of %s: its members differ on too many "+
				"devices, so only the common ones are asked for", name))
		}
	}
	if len(m.Members) > 0 {
		doc.Membership = append(doc.Membership, m)
	}
}
