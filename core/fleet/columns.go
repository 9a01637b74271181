package fleet

import "strings"

// columns number the values of each fact over all devices, so that rules can be worked out once for
// each combination of values. A column is made when the first rule reads it.
type columns struct {
	facts    []Facts
	made     [16]column
	combined map[uint16]column
}

// column gives each device the number of its value, from 0 to count-1.
type column struct {
	values []uint32
	count  int
}

func (c *columns) column(field int) column {
	if c.made[field].values == nil {
		if factFields[field] == "os_build" {
			c.made[field] = number(len(c.facts), func(d int) int { return c.facts[d].OSBuild })
		} else {
			c.made[field] = number(len(c.facts), func(d int) string { return c.facts[d].text(field) })
		}
	}
	return c.made[field]
}

func number[K comparable](count int, value func(device int) K) column {
	numbered := column{values: make([]uint32, count)}
	seen := map[K]uint32{}
	for d := range count {
		v := value(d)
		n, known := seen[v]
		if !known {
			n = uint32(len(seen))
			seen[v] = n
		}
		numbered.values[d] = n
	}
	numbered.count = len(seen)
	return numbered
}

// combine numbers the combinations of values of a set of facts.
func (c *columns) combine(set uint16) column {
	if done, known := c.combined[set]; known {
		return done
	}
	all := column{make([]uint32, len(c.facts)), 1}
	for field := range factFields {
		if set>>field&1 == 0 {
			continue
		}
		next := c.column(field)
		if all.count == 1 {
			all = next
			continue
		}
		all = number(len(c.facts), func(d int) uint64 { return uint64(all.values[d])<<32 | uint64(next.values[d]) })
	}
	if c.combined == nil {
		c.combined = map[uint16]column{}
	}
	c.combined[set] = all
	return all
}

// text is the value of a fact that is text, or a list as one text.
func (f *Facts) text(field int) string {
	if of := textFact(factFields[field]); of != nil {
		value, _ := of(f)
		return value
	}
	list := f.Tags
	if factFields[field] == "user_groups" {
		list = f.UserGroups
	}
	if len(list) == 1 {
		return list[0]
	}
	return strings.Join(list, "\x00")
}
