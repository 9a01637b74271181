package changes

import (
	"context"

	"rankwarden.example/core/arrival"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/whatif"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
)

// WhatIfFacts says what other facts of devices would do. They are set, judged and taken back.
func (s *Service) WhatIfFacts(ctx context.Context, who rights.Identity, edits []Facts) (*Preview, error) {
	if err := checkFacts(edits); err != nil {
		return nil, err
	}
	done, err := s.turn(ctx, who)
	if err != nil {
		return nil, err
	}
	defer done()
	var seen *Preview
	a := attempt{source: gate.Person, what: edits}
	a.make = func(tx Records, w *uow.Work) error { return s.setFacts(tx, w, edits) }
	act := uow.ByOperator(operation.WhatIf, who, "").As("")
	err = s.atTheDoor(ctx, act, func(tx Records, w *uow.Work) error {
		x, err := s.weighTried(ctx, tx, w, a)
		if err != nil {
			return err
		}
		if x.beyond {
			return refusal.BeyondReach()
		}
		x.Digest = "" // nobody can ask for it by this
		seen = x.Preview
		return nil
	})
	return seen, err
}

// WhatIfTheyCome says what devices that are not there would be told.
func (s *Service) WhatIfTheyCome(ctx context.Context, arriving []fleet.Facts) ([]arrival.Arrival, error) {
	tx := s.Read(ctx)
	in, _, err := planning.Read(tx, s.Documents, nil, planning.Beside{})
	if err != nil {
		return nil, err
	}
	groups, err := tx.RuledGroups()
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		rule, err := fleet.ParseRule(g.Rule)
		if err != nil {
			return nil, err // it was checked when it was saved
		}
		in.Groups = append(in.Groups, fleet.Group{Name: g.Name, Rule: rule})
	}
	return whatif.Arrive(in, arriving, fleet.InTurn), nil
}

// Naming are the policies in force that name somebody of the directory.
func (s *Service) Naming(ctx context.Context, who principal.Ref) ([]string, error) {
	in, _, err := planning.Read(s.Read(ctx), s.Documents, nil, planning.Beside{})
	return whatif.Naming(in.Policies, who), err
}
