package deploy

import (
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

// warrants are those that devices are told of, and the people and groups of the directory that have them, by device.
func (s *Service) warrants(
	tx Records, ids []string,
) (of map[string][]protocol.Warrant, named map[string][]principal.Entry, err error) {
	if of, err = tx.WarrantsOf(ids, s.Now()); err != nil || len(of) == 0 {
		return nil, nil, err
	}
	refs := []string{}
	for _, list := range of {
		for _, w := range list {
			refs = append(refs, w.Principal.String())
		}
	}
	slices.Sort(refs)
	known, err := entriesOf(tx, slices.Compact(refs))
	named = map[string][]principal.Entry{}
	for device, list := range of {
		for _, w := range list {
			if entry, there := known[w.Principal]; there {
				named[device] = append(named[device], principal.Entry{Ref: entry.Ref, SID: entry.SID})
			}
		}
	}
	return of, named, err
}

// withNamed adds people and groups to those that a desired state has, each once, in the order of references.
func withNamed(directory, named []principal.Entry) []principal.Entry {
	for _, e := range named {
		if !slices.ContainsFunc(directory, func(x principal.Entry) bool { return x.Ref == e.Ref }) {
			directory = append(directory, e)
		}
	}
	slices.SortFunc(directory, func(a, b principal.Entry) int { return principal.Compare(a.Ref, b.Ref) })
	return directory
}
