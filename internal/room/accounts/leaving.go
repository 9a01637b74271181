package accounts

import (
	"context"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Leaving is what somebody can get into who leaves the directory.
type Leaving struct {
	Person  principal.Ref
	Access  []store.LocalMember // at most [MostAccess]
	More    bool                // there is more
	NoWayIn []string            // names of devices that nobody else can get into as an administrator
}

// Bounds of what is told of somebody who leaves.
const (
	MostAccess  = 2000
	mostNoWayIn = 500
)

// WhoLeaves says what somebody of the directory can get into on devices in reach, and where nobody else can. A group of
// the directory in which there is nobody else counts as the person.
func (s *Service) WhoLeaves(ctx context.Context, who rights.Identity, name string) (Leaving, error) {
	ref, err := principal.Parse(name)
	if err != nil || ref.Kind() != principal.User {
		return Leaving{}, refusal.New(refusal.Invalid, "%q is nobody of the directory; write user:NAME@DOMAIN", name).
			At("leaving")
	}
	l := Leaving{Person: ref}
	p := store.Page{Limit: 500}
	for {
		list, next, err := s.Where(ctx, who, ref.String(), false, p)
		if err != nil {
			return l, err
		}
		l.Access = append(l.Access, list...)
		if p.Cursor = next; next == "" || len(l.Access) >= MostAccess {
			l.More = next != ""
			break
		}
	}
	tx := s.Read(ctx)
	table, err := tx.DirectoryTable([]principal.Ref{ref})
	if err != nil {
		return l, err
	}
	sid, _ := table.SID(ref)
	sids := []string{sid.String()}
	groups, err := tx.GroupsAround(ref.String())
	if err != nil {
		return l, err
	}
	for _, g := range groups {
		people, err := tx.PeopleWithin([]string{g.Ref})
		if err != nil {
			return l, err
		}
		if len(people) == 1 {
			sids = append(sids, g.SID)
		}
	}
	l.NoWayIn, err = tx.OnlyBy(who.Reach(rights.Look), sids, mostNoWayIn)
	return l, err
}
