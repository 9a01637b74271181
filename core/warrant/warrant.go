package warrant

import (
	"cmp"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Warrant makes one principal a member of one local group for a time.
type Warrant struct {
	Unit      unit.ID       `json:"unit"`          // of the local group
	Principal principal.Ref `json:"principal"`     // as members are ([principal.Normal])
	From      time.Time     `json:"from,omitzero"` // zero for always
	Until     time.Time     `json:"until,omitzero"`
	Despite   bool          `json:"despite,omitempty"` // also where the principal is asked to be no member
}

// Runs reports whether the warrant holds at a time: from its beginning until just before its end.
func (w Warrant) Runs(at time.Time) bool { return !at.Before(w.From) && at.Before(w.Until) }

// CanHold reports whether such a principal can have a warrant: people and groups of the directory, bare identifiers,
// and accounts and groups of the device that no policy manages.
func CanHold(ref principal.Ref) bool {
	switch ref.Kind() {
	case principal.User, principal.Group, principal.Bare, principal.Local:
		return true
	}
	return false
}

// Running is what holds on a device at a time, one for each local group and principal, sorted by them.
type Running []Held

// Held is a warrant that runs. Where several do for one local group and principal, it has the latest end, and is
// despite if one of them is.
type Held struct {
	Warrant
	Of int // index of the one whose end it has; of equal ends the first
}

// At are those of a device's warrants that run at a time.
func At(list []Warrant, at time.Time) (running Running) {
	for i, w := range list {
		if !w.Runs(at) {
			continue
		}
		place, found := slices.BinarySearchFunc(running, w, Held.compare)
		if !found {
			running = slices.Insert(running, place, Held{w, i})
			continue
		}
		h := &running[place]
		despite := h.Despite || w.Despite
		if w.Until.After(h.Until) {
			*h = Held{w, i}
		}
		h.Despite = despite
	}
	return running
}

func (h Held) compare(w Warrant) int {
	return cmp.Or(h.Unit.Compare(w.Unit), principal.Compare(h.Principal, w.Principal))
}
