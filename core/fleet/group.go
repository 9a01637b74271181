package fleet

import "rankwarden.example/core/assign"

// Group is a named set of devices: those listed, or those for which a rule holds.
type Group struct {
	Name    string
	Devices []int // indexes of listed devices, where there is no rule
	Rule    *Rule
}

// Members says which of a number of devices are in a group: definitely, and perhaps.
type Members struct{ yes, perhaps bitset }

// Of is the membership of one device.
func (m Members) Of(device int) assign.Truth {
	switch {
	case m.yes.has(device):
		return assign.Yes
	case m.perhaps.has(device):
		return assign.Unknown
	}
	return assign.No
}

// Listed are the members of a group by index, out of count: those that are in it, and those that
// perhaps are.
func Listed(count int, yes, perhaps []int) Members {
	m := Members{newBitset(count), newBitset(count)}
	for _, d := range yes {
		m.yes.add(d)
	}
	for _, d := range perhaps {
		m.perhaps.add(d)
	}
	return m
}

// Each does n independent things. The core has no goroutines; a caller that has may do several at once.
type Each func(n int, do func(i int))

// InTurn does one thing after the other.
func InTurn(n int, do func(i int)) {
	for i := range n {
		do(i)
	}
}

// MembersOf works out every group, by name, and [assign.Everything].
func MembersOf(groups []Group, facts []Facts) map[string]Members {
	return MembersOfEach(groups, facts, InTurn)
}

// MembersOfEach is [MembersOf], with what is independent worked out as each does.
func MembersOfEach(groups []Group, facts []Facts, each Each) map[string]Members {
	all := make([]Members, len(groups))
	var once, other []int // groups whose rules are worked out together, and others
	columns := &columns{facts: facts}
	combined := make([]column, len(groups))
	for i, g := range groups {
		switch {
		case g.Rule != nil && g.Rule.direct != nil:
			all[i] = Members{newBitset(len(facts)), newBitset(len(facts))}
			once = append(once, i)
			continue
		case g.Rule != nil:
			combined[i] = columns.combine(g.Rule.reads)
		}
		other = append(other, i)
	}
	blocks := (len(facts) + blockOf - 1) / blockOf
	each(blocks+len(other), func(n int) {
		if n < blocks {
			ruledTogether(groups, once, all, facts, n*blockOf)
			return
		}
		i := other[n-blocks]
		if rule := groups[i].Rule; rule != nil {
			all[i] = ruled(rule, facts, combined[i])
		} else {
			all[i] = Listed(len(facts), groups[i].Devices, nil)
		}
	})
	members := make(map[string]Members, len(groups)+1)
	everything := Members{newBitset(len(facts)), nil}
	everything.yes.fill(len(facts))
	members[assign.Everything] = everything
	for i, g := range groups {
		members[g.Name] = all[i]
	}
	return members
}

// blockOf is how many devices rules are worked out for together: a whole number of words of a bitset, and few enough
// that their facts stay near the processor.
const blockOf = 512

// ruledTogether works out rules that need nothing but Go for a block of devices.
func ruledTogether(groups []Group, which []int, all []Members, facts []Facts, from int) {
	to := min(from+blockOf, len(facts))
	for _, i := range which {
		rule, m := groups[i].Rule.direct, all[i]
		for word := from; word < to; word += 64 {
			var yes, perhaps uint64
			for d := word; d < min(word+64, to); d++ {
				switch rule(&facts[d]) {
				case assign.Yes:
					yes |= 1 << (d - word)
				case assign.Unknown:
					perhaps |= 1 << (d - word)
				}
			}
			m.yes[word/64], m.perhaps[word/64] = yes, perhaps
		}
	}
}

// ruled are the devices for which a rule holds. The rule is worked out once for each combination
// of the facts that it reads, so its cost grows with how much those facts differ.
func ruled(rule *Rule, facts []Facts, combined column) Members {
	m := Members{newBitset(len(facts)), newBitset(len(facts))}
	const notDone = assign.Yes + 1
	known := make([]assign.Truth, combined.count)
	for i := range known {
		known[i] = notDone
	}
	var object factObject
	for d, combination := range combined.values {
		if known[combination] == notDone {
			object.facts = &facts[d]
			known[combination] = rule.holds(&object)
		}
		switch known[combination] {
		case assign.Yes:
			m.yes.add(d)
		case assign.Unknown:
			m.perhaps.add(d)
		}
	}
	return m
}
