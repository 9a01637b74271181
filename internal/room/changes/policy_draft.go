package changes

import (
	"context"
	"slices"

	"rankwarden.example/core/draft"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Bounds of a draft: how many percent of the devices may have another value where none is said, at most, and how many
// reports are read in one query.
const (
	DefaultTolerance = 5
	MaxTolerance     = 49
	draftBatch       = 1000
)

// DraftPolicy makes a policy of a name from what the devices of a group that are in reach have in common; nothing is
// stored. Tolerance is in percent.
func (s *Service) DraftPolicy(
	ctx context.Context, who rights.Identity, group, name string, tolerance int,
) (draft.Draft, error) {
	if !policy.ValidName(name) {
		return draft.Draft{}, refusal.New(refusal.Invalid, "%q cannot name a policy; use %s", name, policy.NameRule).
			At("name")
	}
	if tolerance < 0 || tolerance > MaxTolerance {
		return draft.Draft{}, refusal.New(refusal.Invalid, "a tolerance of %d %% is out of range; give 0 to %d",
			tolerance, MaxTolerance).At("tolerance")
	}
	tx := s.Read(ctx)
	if err := devicegroups.Asked(tx, group); err != nil {
		return draft.Draft{}, err
	}
	ids := s.View.Within(who.Reach(rights.Look), group)
	if len(ids) == 0 {
		return draft.Draft{}, refusal.New(refusal.Conflict, "no device of %s is in your reach, so there is nothing to "+
			"draft from", group)
	}
	tally := draft.New()
	for batch := range slices.Chunk(ids, draftBatch) {
		if err := addTo(ctx, tx, tally, batch); err != nil {
			return draft.Draft{}, err
		}
	}
	return tally.Draft(name, tolerance), nil
}

// addTo counts some devices.
func addTo(ctx context.Context, tx Reads, tally *draft.Tally, ids []string) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	known, err := tx.KnownStates(ids)
	if err != nil {
		return err
	}
	var states []*drift.State
	for _, id := range ids {
		if k, live := known[id]; live {
			states = append(states, k.State)
		}
	}
	reported := slices.DeleteFunc(slices.Clone(states), func(s *drift.State) bool { return s == nil })
	table, err := tx.DirectoryTable(store.NamedIn(nil, reported...))
	for _, s := range states {
		tally.Add(s, table)
	}
	return err
}
