package fleet

import "rankwarden.example/core/assign"

// Scope is a set of devices that meet exactly the same assignments.
type Scope struct {
	Applying  []int // indexes into the assignments given, ascending
	Undecided []int // assignments that would apply if a fact were known, ascending
	Devices   []int // indexes into the devices given, ascending
}

// Scopes sorts devices 0 to count-1 by the assignments that apply to them. Every device is in
// exactly one scope; scopes come in the order of their first device. A group that members does
// not know is empty. The cost is one pass of bit operations for each group an assignment names,
// and one visit for each pair of device and applying assignment.
func Scopes(count int, members map[string]Members, assignments []assign.Assignment) []Scope {
	p := newPartition(count)
	yes, perhaps := newBitset(count), newBitset(count)
	for i, a := range assignments {
		decideAll(a, members, yes, perhaps)
		p.split(yes, uint32(2*i))
		p.split(perhaps, uint32(2*i+1))
	}
	return p.scopes()
}

// decideAll works out, for all devices at once, where the assignment applies and where that is
// not known. It says the same as [assign.Assignment.Decide].
func decideAll(a assign.Assignment, members map[string]Members, yes, perhaps bitset) {
	clear(yes)
	clear(perhaps)
	for _, g := range a.Include {
		yes.or(members[g].yes)
		perhaps.or(members[g].perhaps)
	}
	perhaps.without(yes)
	for _, g := range a.Exclude {
		m := members[g]
		perhaps.without(m.yes)
		perhaps.orBoth(yes, m.perhaps) // included, and perhaps excluded
		yes.without(m.yes)
		yes.without(m.perhaps)
	}
	for _, g := range a.Within {
		m := members[g]
		perhaps.orBoth(yes, m.perhaps)
		perhaps.keep(m.yes, m.perhaps)
		yes.keep(m.yes, nil)
	}
}
