package fleet

// Group is a named set of devices: those listed, or those for which a rule holds.
type Group struct {
	Name    string
	Devices []int // indexes of listed devices, where there is no rule
	Rule    *Rule
}

// Members says which of a number of devices are in a group: definitely, and perhaps.
type Members struct{ yes, perhaps bitset }

// Of is the membership of one device.
func (m Members) Of(device int) Truth {
	switch {
	case m.yes.has(device):
		return Yes
	case m.perhaps.has(device):
		return Unknown
	}
	return No
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

// ruled are the devices for which a rule holds. The rule is worked out once for each combination
// of the facts that it reads, so its cost grows with how much those facts differ.
func ruled(rule *Rule, facts []Facts, columns *columns) Members {
	m := Members{newBitset(len(facts)), newBitset(len(facts))}
	combined, count := columns.combine(rule.reads)
	const notDone = Yes + 1
	known := make([]Truth, count)
	for i := range known {
		known[i] = notDone
	}
	for d, combination := range combined {
		if known[combination] == notDone {
			known[combination] = rule.Holds(&facts[d])
		}
		switch known[combination] {
		case Yes:
			m.yes.add(d)
		case Unknown:
			m.perhaps.add(d)
		}
	}
	return m
}

// MembersOf works out every group, by name, and [Everything].
func MembersOf(groups []Group, facts []Facts) map[string]Members {
	members := make(map[string]Members, len(groups)+1)
	all := Members{newBitset(len(facts)), nil}
	all.yes.fill(len(facts))
	members[Everything] = all
	columns := &columns{facts: facts}
	for _, g := range groups {
		if g.Rule != nil {
			members[g.Name] = ruled(g.Rule, facts, columns)
		} else {
			members[g.Name] = Listed(len(facts), g.Devices, nil)
		}
	}
	return members
}
