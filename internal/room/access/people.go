package access

import (
	"context"
	"slices"

	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Person is an operator who may do something on a device.
type Person struct {
	store.Operator
	Rights []rights.Right // that hold on the device
	Roles  []rights.Grant // that give them
}

// DevicePeople says who may do what on a device, a page of the operators at a time: those who have a right there, or
// one right where it is asked for. Whoever is disabled has none.
func (s *Service) DevicePeople(
	ctx context.Context, device string, right rights.Right, p store.Page,
) (list []Person, next string, err error) {
	db := s.Read(ctx)
	d, err := db.Device(s.Clock(), device, text.Fold(device))
	if err != nil {
		return nil, "", refusal.Named(err, "device", device)
	}
	operators, next, err := db.ListOperators(p)
	if err != nil {
		return nil, "", err
	}
	for _, o := range operators {
		if o.DisabledAt != nil {
			continue
		}
		here, err := grantsOn(db, o, d.ID)
		if err != nil {
			return nil, "", err
		}
		x := Person{Operator: o, Roles: here, Rights: rights.Identity{OperatorID: o.ID, Grants: here}.Rights()}
		if len(x.Rights) > 0 && (right == "" || slices.Contains(x.Rights, right)) {
			list = append(list, x)
		}
	}
	return list, next, nil
}

// grantsOn are the roles of an operator that hold on a device.
func grantsOn(db Reads, o store.Operator, device string) (here []rights.Grant, err error) {
	for _, g := range o.Grants {
		outside := ""
		if !g.Everywhere() {
			if outside, err = db.OutOfReach(rights.ReachOver(g.Groups...), []string{device}); err != nil {
				return nil, err
			}
		}
		if outside == "" {
			here = append(here, g)
		}
	}
	return here, nil
}
