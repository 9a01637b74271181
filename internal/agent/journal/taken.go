package journal

import (
	"encoding/json"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/wire/protocol"
)

// Taken is what the device took away when another desired state came: a member of a local group, or the value of a
// setting. It is what can be given back.
type Taken struct {
	At     time.Time       `json:"at"` // in service time
	Unit   unit.ID         `json:"unit"`
	Member principal.SID   `json:"member,omitzero"`  // zero for a value
	Before json.RawMessage `json:"before,omitempty"` // the value that it found
	After  json.RawMessage `json:"after,omitempty"`  // and what it set
}

// How much is remembered of what was taken away.
const (
	takenKept = 180 * 24 * time.Hour
	takenMost = 2000
)

// Remember keeps what was taken away, and forgets what is too long ago.
func (j *Journal) Remember(now time.Time, taken []Taken) {
	for _, t := range taken {
		t.At = now.UTC()
		j.Taken = append(j.Taken, t)
	}
	j.Taken = slices.DeleteFunc(j.Taken, func(t Taken) bool { return now.Sub(t.At) > takenKept })
	j.Taken = j.Taken[max(0, len(j.Taken)-takenMost):]
}

// TakenSince is what was taken away of a setting since a time, oldest first.
func (j *Journal) TakenSince(id unit.ID, since time.Time) (list []Taken) {
	for _, t := range j.Taken {
		if t.Unit == id && !t.At.Before(since) {
			list = append(list, t)
		}
	}
	return list
}

// Due are the give-backs that were not carried out yet.
func (j *Journal) Due() (due []protocol.GiveBack) {
	for _, g := range j.Asked.GiveBack {
		if !slices.ContainsFunc(j.GaveBack, g.Since.Equal) {
			due = append(due, g)
		}
	}
	return due
}

// Gave notes that give-backs were carried out, as far as they could be, and forgets those that are not asked for any
// more.
func (j *Journal) Gave(list []protocol.GiveBack) {
	for _, g := range list {
		j.GaveBack = append(j.GaveBack, g.Since)
	}
	j.GaveBack = slices.DeleteFunc(j.GaveBack, func(since time.Time) bool {
		return !slices.ContainsFunc(j.Asked.GiveBack, func(g protocol.GiveBack) bool { return g.Since.Equal(since) })
	})
}
