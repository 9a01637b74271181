package audit

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"time"
)

// Broken says at which entry a trail is no longer what was written, and why.
type Broken struct {
	Seq int64
	Why string
}

func (b *Broken) Error() string {
	return fmt.Sprintf("the trail is broken at entry %d: %s", b.Seq, b.Why)
}

// Chain follows a trail entry by entry, and compares it with checkpoints on the way. Use [NewChain] or [ChainAfter].
type Chain struct {
	begun       bool
	First, Last int64 // of the entries that were followed
	Anchored    *Checkpoint
	hash        []byte
	checkpoints []Checkpoint // that are still to come, by sequence
}

// NewChain begins with the first entry that it is given.
func NewChain(checkpoints []Checkpoint) *Chain {
	sorted := slices.SortedFunc(
		slices.Values(checkpoints),
		func(a, b Checkpoint) int { return cmp.Compare(a.Seq, b.Seq) },
	)
	return &Chain{checkpoints: sorted}
}

// ChainAfter begins behind an entry with the given hash.
func ChainAfter(seq int64, hash []byte, checkpoints []Checkpoint) *Chain {
	c := NewChain(checkpoints)
	c.begun, c.Last, c.hash, c.First = true, seq, hash, seq+1
	c.checkpoints = slices.DeleteFunc(c.checkpoints, func(p Checkpoint) bool { return p.Seq <= seq })
	return c
}

// Follow takes in the next entry; its error is a [*Broken].
func (c *Chain) Follow(e Entry) error {
	sum, err := e.sum()
	switch {
	case err != nil:
		return &Broken{e.Seq, err.Error()}
	case !bytes.Equal(sum, e.Hash):
		return &Broken{e.Seq, "its hash is not that of what it says: it was changed"}
	case c.begun && e.Seq > c.Last+1:
		return &Broken{c.Last + 1, fmt.Sprintf("it is missing, up to entry %d", e.Seq-1)}
	case c.begun && e.Seq <= c.Last:
		return &Broken{e.Seq, "it stands where another one belongs"}
	case c.begun && !bytes.Equal(e.Prev, c.hash), !c.begun && (e.Seq == 1) != (len(e.Prev) == 0):
		return &Broken{e.Seq, "it does not continue the entry before: one of the two was written anew"}
	}
	if !c.begun {
		c.begun, c.First = true, e.Seq
		// What ended before is not in this trail; a checkpoint of the entry just before is what it begins with.
		for len(c.checkpoints) > 0 && c.checkpoints[0].Seq < e.Seq {
			if p := c.checkpoints[0]; p.Seq == e.Seq-1 && !bytes.Equal(p.Hash, e.Prev) {
				return &Broken{e.Seq, "it does not continue what the checkpoint of " + at(p.At) + " ended with"}
			}
			c.checkpoints = c.checkpoints[1:]
		}
	}
	c.Last, c.hash = e.Seq, e.Hash
	for len(c.checkpoints) > 0 && c.checkpoints[0].Seq == e.Seq {
		p := c.checkpoints[0]
		c.checkpoints = c.checkpoints[1:]
		if err := c.agrees(p); err != nil {
			return err
		}
	}
	return nil
}

// agrees compares a checkpoint with the entry that was followed last.
func (c *Chain) agrees(p Checkpoint) error {
	if p.Seq != c.Last {
		return fmt.Errorf(
			"the checkpoint of %s ends with entry %d, and stands behind entry %d",
			at(p.At),
			p.Seq,
			c.Last,
		)
	}
	if !bytes.Equal(p.Hash, c.hash) {
		return &Broken{c.unanchored(), fmt.Sprintf(
			"entries %d to %d are not those of the checkpoint of %s: some were written anew",
			c.unanchored(),
			c.Last,
			at(p.At),
		)}
	}
	c.Anchored = &p
	return nil
}

// unanchored is the first entry behind the last checkpoint.
func (c *Chain) unanchored() int64 {
	if c.Anchored == nil {
		return c.First
	}
	return c.Anchored.Seq + 1
}

// End says whether the trail ends before a checkpoint does: then its end was cut off.
func (c *Chain) End() error {
	if len(c.checkpoints) == 0 {
		return nil
	}
	p := c.checkpoints[len(c.checkpoints)-1]
	return &Broken{
		c.Last + 1,
		fmt.Sprintf("it is missing, up to entry %d, with which the checkpoint of %s ends (an export made before that "+
			"says nothing of it: make a new one)", p.Seq, at(p.At)),
	}
}

// Hash is that of the last entry that was followed.
func (c *Chain) Hash() []byte { return c.hash }

func at(t time.Time) string { return t.UTC().Format("2006-01-02 15:04:05 UTC") }
