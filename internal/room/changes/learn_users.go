package changes

import (
	"context"
	"errors"
	"slices"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// LearnUsers takes as the primary user of a device whoever signs in there on most days, where nobody has set one. It
// goes through the door as what arrives from elsewhere: what alters much waits for somebody, and nothing more is
// learned meanwhile. Nothing is learned while a rule over who uses a device decides reach or exclusion.
func (s *Service) LearnUsers(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockLearning, func(ctx context.Context) error {
		tx := s.Read(ctx)
		found, err := tx.UsersToLearn(maxFactsEdit)
		if err != nil || len(found) == 0 {
			return err
		}
		waits, err := s.learningWaits(tx)
		if err != nil || waits {
			return err
		}
		edits := make([]Facts, len(found))
		for i, f := range found {
			edits[i] = Facts{Device: f.DeviceID, PrimaryUser: &found[i].User, Learned: true}
		}
		a := attempt{act: uow.ByService("device.users_learned", learning), source: gate.Arrival, what: edits,
			unattended: true}
		a.first = func(tx Records, _ *uow.Work) (*gate.Agreement, error) { return nil, mayLearn(tx) }
		a.make = func(tx Records, w *uow.Work) error { return s.setFacts(tx, w, edits) }
		err = s.passOrHold(ctx, &a, store.BrakeFacts, func(tx Records) (asked, error) {
			trial, err := s.tryFacts(tx, edits)
			return asked{Facts: edits, Alters: trial.Altered}, err
		})
		var refused *refusal.Error
		if errors.As(err, &refused) { // it waits for somebody, who is told, or it may not be
			s.Log.Warn("primary users were not learned", "devices", len(edits), "why", refused.Error())
			return nil
		}
		return err
	})
	return err
}

// learning is what the trail calls the devices of which something is learned.
const learning = "primary users"

// learningWaits reports whether something that was learned waits for somebody.
func (s *Service) learningWaits(tx Reads) (bool, error) {
	waiting, _, err := tx.ListBrakes(true, store.Page{Limit: 500})
	return slices.ContainsFunc(waiting, func(b store.Brake) bool { return b.Object == learning }), err
}

// mayLearn refuses to learn while a device could talk itself into somebody's reach, or out of a policy, by it.
func mayLearn(tx Records) error {
	groups, err := tx.RuledGroups()
	if err != nil {
		return err
	}
	assignments, err := tx.Assignments()
	if err != nil {
		return err
	}
	for _, g := range groups {
		rule, err := fleet.ParseRule(g.Rule)
		if err != nil {
			return err // it was checked when it was saved
		}
		if !slices.ContainsFunc(rule.Reads(), fleet.OfUser) {
			continue
		}
		operators, err := tx.OperatorsReaching(g.Name)
		if err != nil {
			return err
		}
		excluded := slices.ContainsFunc(assignments, func(a store.Assignment) bool {
			return slices.Contains(a.Exclude, g.Name)
		})
		if excluded || len(operators) > 0 {
			return refusal.New(refusal.Conflict, "primary users are not learned: the rule of the group %s reads who "+
				"uses a device, and decides reach or exclusion", g.Name).WithCode("learning_decides")
		}
	}
	return nil
}
