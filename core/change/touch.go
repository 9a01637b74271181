package change

import "rankwarden.example/core/assign"

// Touched is what a change touches: two that touch one thing may not be on their way at the same time.
type Touched map[string]bool // such as assignment base, or group desks

// Touches says what edits touch: the assignments they make, replace and remove, those of the policies that they
// publish, and groups.
func Touches(edits []Step, assignments []assign.Assignment) Touched {
	t := Touched{}
	for _, e := range edits {
		switch e.Kind.Type() {
		case Assignments:
			t["assignment "+e.Name] = true
		case Groups:
			t["group "+e.Name] = true
		case Policies:
			t["policy "+e.Name] = true
			for _, a := range assignments {
				if a.Policy == e.Name {
					t["assignment "+a.Name] = true
				}
			}
		}
	}
	return t
}

// Shared gives a thing that both touch, the first by name, and whether there is one.
func (t Touched) Shared(other Touched) (thing string, shared bool) {
	for x := range t {
		if other[x] && (!shared || x < thing) {
			thing, shared = x, true
		}
	}
	return thing, shared
}
