package principal

import (
	"cmp"
	"slices"
	"strings"

	"rankwarden.example/core/text"
)

// maxNear is how many near names a message can take.
const maxNear = 3

// Nearest are the references of known that ref may have been meant to be, the likeliest first, at
// most three. Another kind or another domain counts as a difference, but a small one.
func Nearest(ref Ref, known []Ref) []Ref {
	type near struct {
		ref      Ref
		distance int
	}
	name, domain, _ := strings.Cut(ref.value, "@")
	limit := 1 + len(name)/4
	var found []near
	for _, k := range known {
		other, otherDomain, _ := strings.Cut(k.value, "@")
		if len(other) > len(name)+limit || len(name) > len(other)+limit {
			continue
		}
		d := text.Distance(name, other)
		if d > limit {
			continue
		}
		if k.kind != ref.kind {
			d++
		}
		if otherDomain != domain {
			d++
		}
		found = append(found, near{k, d})
	}
	slices.SortFunc(
		found,
		func(a, b near) int { return cmp.Or(cmp.Compare(a.distance, b.distance), Compare(a.ref, b.ref)) },
	)
	var refs []Ref
	for _, f := range found[:min(len(found), maxNear)] {
		refs = append(refs, f.ref)
	}
	return refs
}
