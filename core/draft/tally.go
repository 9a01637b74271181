// Package draft makes a first policy from what devices have: the values that most of them have in common.
package draft

import (
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Tally counts what devices have. Use [New].
type Tally struct {
	devices  int
	silent   int
	values   map[unit.ID]map[string]*counted
	groups   map[string]*localGroup // by the name that policies use
	accounts map[string]*managed    // by key
	sudoers  int                    // devices on which sudoers allow somebody to become root
	unread   map[unit.ID]int        // devices that cannot tell a setting
}

// counted is a value with how many devices have it.
type counted struct {
	value   unit.Value
	devices int
}

// localGroup is who is in a local group, and on how many devices.
type localGroup struct {
	devices int
	custom  bool
	members map[principal.Ref]int
}

// managed is an account that devices have bound to a key.
type managed struct {
	devices int
	names   map[string]int // patterns: digits as #
	literal map[string]int
	states  map[unit.State]int
	details map[unit.Details]int
}

// New begins with no device.
func New() *Tally {
	return &Tally{
		values:   map[unit.ID]map[string]*counted{},
		groups:   map[string]*localGroup{},
		accounts: map[string]*managed{},
		unread:   map[unit.ID]int{},
	}
}

// valued are the settings whose values are counted one by one.
var valued = func() []unit.ID {
	list := []unit.ID{unit.MinLength, unit.History, unit.MaxAgeDays, unit.MinAgeDays, unit.Complexity, unit.Lockout}
	for _, ref := range []principal.Ref{principal.Administrator, principal.Guest} {
		list = append(list, unit.BuiltinOf(ref, unit.BuiltinName), unit.BuiltinOf(ref, unit.BuiltinEnabled))
	}
	return list
}()

// Add counts a device by its reported state, nil for one that never reported. Identifiers become the references of the
// directory where it knows them; nil knows nobody.
func (t *Tally) Add(state *drift.State, directory principal.Directory) {
	if state == nil {
		t.silent++
		return
	}
	t.devices++
	for _, id := range valued {
		if value := state.Value(id); value != nil && !cannotSet(state, id) {
			t.value(id, value)
		} else {
			t.unread[id]++
		}
	}
	for _, g := range state.LocalGroups {
		t.group(state, directory, g)
	}
	for _, a := range state.Accounts {
		if a.Key != "" {
			t.account(a)
		}
	}
	if slices.ContainsFunc(state.Sudo, func(s drift.Sudo) bool { return s.Root }) {
		t.sudoers++
	}
}

// cannotSet reports whether a device says that it cannot carry out a setting.
func cannotSet(state *drift.State, id unit.ID) bool {
	return slices.ContainsFunc(state.Limits, func(l drift.Limit) bool { return l.Setting == id }) ||
		slices.Contains(state.Unsupported, id)
}

func (t *Tally) value(id unit.ID, value unit.Value) {
	if t.values[id] == nil {
		t.values[id] = map[string]*counted{}
	}
	key := fmt.Sprint(value)
	if name, is := value.(unit.Text); is {
		key = text.Fold(string(name)) // names compare without case
	}
	if t.values[id][key] == nil {
		t.values[id][key] = &counted{value: value}
	}
	t.values[id][key].devices++
}

func (t *Tally) group(state *drift.State, directory principal.Directory, g drift.LocalGroup) {
	name := g.PolicyName()
	_, known := unit.KnownLocalGroups[name]
	if !known && !unit.IsPrivileged(name) {
		return // what a group of a program is for, only that program knows
	}
	of := t.groups[name]
	if of == nil {
		of = &localGroup{custom: !known, members: map[principal.Ref]int{}}
		t.groups[name] = of
	}
	of.devices++
	seen := map[principal.Ref]bool{}
	for _, m := range g.Members {
		if ref := state.Name(m.SID, directory); !seen[ref] {
			seen[ref] = true
			of.members[ref]++
		}
	}
}

func (t *Tally) account(a drift.Account) {
	of := t.accounts[a.Key]
	if of == nil {
		of = &managed{names: map[string]int{}, literal: map[string]int{}, states: map[unit.State]int{},
			details: map[unit.Details]int{}}
		t.accounts[a.Key] = of
	}
	of.devices++
	of.names[pattern(a.Name)]++
	of.literal[a.Name]++
	of.states[a.State()]++
	of.details[a.Details]++
}

// pattern is a name with # for every digit.
func pattern(name string) string {
	out := []rune(name)
	for i, r := range out {
		if r >= '0' && r <= '9' {
			out[i] = '#'
		}
	}
	return string(out)
}
