package fleet

import (
	"encoding/binary"
	"math/bits"
)

// Scope is a set of devices that meet exactly the same assignments.
type Scope struct {
	Assignments []int // indexes into the assignments given, ascending
	Devices     []int // indexes into the devices given, ascending
}

// Membership says which devices, by index, are in a group.
type Membership map[string][]int

// Scopes sorts devices 0 to count-1 by the assignments that apply to them. Every device is in
// exactly one scope; scopes come in the order of their first device. A group that members does
// not know is empty. The cost is one pass of bit operations for each group an assignment names,
// and one visit for each pair of device and applying assignment.
func Scopes(count int, members Membership, assignments []Assignment) []Scope {
	groups := map[string]bitset{}
	group := func(name string) bitset {
		set, known := groups[name]
		if !known {
			set = newBitset(count)
			if name == Everything {
				set.fill(count)
			}
			for _, device := range members[name] {
				set.add(device)
			}
			groups[name] = set
		}
		return set
	}
	applying := make([][]int, count)
	scratch := newBitset(count)
	for i, a := range assignments {
		clear(scratch)
		for _, g := range a.Include {
			scratch.or(group(g))
		}
		for _, g := range a.Exclude {
			scratch.without(group(g))
		}
		scratch.each(func(device int) { applying[device] = append(applying[device], i) })
	}
	return gather(applying)
}

func gather(applying [][]int) []Scope {
	var scopes []Scope
	index := map[string]int{}
	var key []byte
	for device, set := range applying {
		key = key[:0]
		for _, i := range set {
			key = binary.LittleEndian.AppendUint32(key, uint32(i))
		}
		at, known := index[string(key)]
		if !known {
			at = len(scopes)
			index[string(key)] = at
			scopes = append(scopes, Scope{Assignments: set})
		}
		scopes[at].Devices = append(scopes[at].Devices, device)
	}
	return scopes
}

// bitset holds small non-negative integers, one bit each.
type bitset []uint64

func newBitset(count int) bitset { return make(bitset, (count+63)/64) }

func (b bitset) add(i int) { b[i/64] |= 1 << (i % 64) }

func (b bitset) fill(count int) {
	for i := range count {
		b.add(i)
	}
}

func (b bitset) or(other bitset) {
	for i, word := range other {
		b[i] |= word
	}
}

func (b bitset) without(other bitset) {
	for i, word := range other {
		b[i] &^= word
	}
}

func (b bitset) each(visit func(i int)) {
	for at, word := range b {
		for ; word != 0; word &= word - 1 {
			visit(at*64 + bits.TrailingZeros64(word))
		}
	}
}
