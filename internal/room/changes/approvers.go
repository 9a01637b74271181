package changes

import (
	"context"
	"errors"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Approvers says who can approve a change that waits, a page of the operators at a time: whoever has the right on every
// device of what was asked for, has no part in the change, and is not who asked.
func (s *Service) Approvers(ctx context.Context, name string, p store.Page) (list []string, next string, err error) {
	db := s.Read(ctx)
	c, err := db.Change(name)
	if err != nil {
		return nil, "", refusal.Named(err, "change", name)
	}
	if c.State != store.ChangeWaiting {
		return nil, "", refusal.New(refusal.Conflict, "the change %q waits for nobody", name).
			WithCode("change_not_waiting")
	}
	asked, err := db.Agreement(c.ID)
	if err != nil {
		return nil, "", err
	}
	devices := asked.Devices()
	operators, next, err := db.ListOperators(p)
	if err != nil {
		return nil, "", err
	}
	list = []string{}
	for _, o := range operators {
		who := rights.Identity{OperatorID: o.ID, Name: o.Name, Grants: o.Grants}
		if o.DisabledAt != nil || !who.May(rights.Deploy) {
			continue
		}
		if err := mayDecide(db, who, c); errors.Is(err, errOwnChange) {
			continue
		} else if err != nil {
			return nil, "", err
		}
		if reach := who.Reach(rights.Deploy); !reach.Everywhere() {
			outside, err := db.OutOfReach(reach, devices)
			if err != nil {
				return nil, "", err
			}
			if outside != "" || asked.ConcernsAnyone() {
				continue
			}
		}
		list = append(list, o.Name)
	}
	return list, next, nil
}
