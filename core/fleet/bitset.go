package fleet

import "math/bits"

// bitset holds small non-negative integers, one bit each. A nil bitset is empty.
type bitset []uint64

func newBitset(count int) bitset { return make(bitset, (count+63)/64) }

func (b bitset) add(i int) { b[i/64] |= 1 << (i % 64) }

func (b bitset) has(i int) bool { return i/64 < len(b) && b[i/64]>>(i%64)&1 == 1 }

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

// orBoth adds what is in both x and y.
func (b bitset) orBoth(x, y bitset) {
	for i, word := range y {
		b[i] |= x[i] & word
	}
}

func (b bitset) without(other bitset) {
	for i, word := range other {
		b[i] &^= word
	}
}

// keep leaves what is in x or y.
func (b bitset) keep(x, y bitset) {
	for i := range b {
		var either uint64
		if i < len(x) {
			either = x[i]
		}
		if i < len(y) {
			either |= y[i]
		}
		b[i] &= either
	}
}

func (b bitset) each(visit func(i int)) {
	for at, word := range b {
		for ; word != 0; word &= word - 1 {
			visit(at*64 + bits.TrailingZeros64(word))
		}
	}
}
