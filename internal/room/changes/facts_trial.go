package changes

import (
	"context"
	"slices"
	"strings"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
)

// Altered is one thing that is another one afterwards.
type Altered struct {
	Object string `json:"object"` // a device, a group, or somebody of the directory
	What   string `json:"what"`   // which property, in words
	Before string `json:"before"` // empty for none
	After  string `json:"after"`
}

// FactsTrial says what other facts of devices would alter.
type FactsTrial struct {
	Altered []Altered // by name of the device
	Devices int       // that would have another fact
	Unknown []string  // names that no device has
	Groups  []Shift   // groups by rule with other members, by name
}

// Shift is how the members of a group by rule change. Devices of which it is not known are in neither.
type Shift struct {
	Group         string
	Joins, Leaves []string // names of devices
}

// TryFacts says what facts would alter, without setting them.
func (s *Service) TryFacts(ctx context.Context, _ rights.Identity, edits []Facts) (FactsTrial, error) {
	if err := checkFacts(edits); err != nil {
		return FactsTrial{}, err
	}
	return s.tryFacts(s.Read(ctx), edits)
}

// tryFacts asks the view of the fleet, which may be a moment old.
func (s *Service) tryFacts(tx Reads, edits []Facts) (FactsTrial, error) {
	trial := FactsTrial{Altered: []Altered{}, Unknown: []string{}, Groups: []Shift{}}
	wanted := make(map[string]*Facts, len(edits))
	for i := range edits {
		wanted[text.Fold(edits[i].Device)] = &edits[i]
	}
	found := map[*Facts]bool{}
	var before, after []fleet.Facts
	for _, d := range s.View.Devices(rights.Everywhere) {
		edit := wanted[d.NameKey]
		for _, key := range slices.Concat([]string{text.Fold(d.ID)}, d.Former) {
			if edit == nil {
				edit = wanted[key]
			}
		}
		if edit == nil {
			continue
		}
		found[edit] = true
		next := edit.laidOver(d.Facts)
		altered := alteredFacts(d.Name, d.Facts, next)
		if len(altered) == 0 {
			continue
		}
		trial.Devices++
		trial.Altered = append(trial.Altered, altered...)
		before, after = append(before, d.Facts), append(after, next)
	}
	for i := range edits {
		if edit := wanted[text.Fold(edits[i].Device)]; edit == &edits[i] && !found[edit] {
			trial.Unknown = append(trial.Unknown, edit.Device)
		}
	}
	groups, err := tx.RuledGroups()
	if err != nil {
		return trial, err
	}
	ruled := make([]fleet.Group, len(groups))
	for i, g := range groups {
		ruled[i].Name = g.Name
		if ruled[i].Rule, err = fleet.ParseRule(g.Rule); err != nil {
			return trial, err // it was checked when it was saved
		}
	}
	was, is := fleet.MembersOf(ruled, before), fleet.MembersOf(ruled, after)
	for _, g := range groups {
		shift := Shift{Group: g.Name, Joins: []string{}, Leaves: []string{}}
		for i, d := range before {
			switch former, now := was[g.Name].Of(i), is[g.Name].Of(i); {
			case former != assign.Yes && now == assign.Yes:
				shift.Joins = append(shift.Joins, d.Name)
			case former == assign.Yes && now != assign.Yes:
				shift.Leaves = append(shift.Leaves, d.Name)
			}
		}
		if len(shift.Joins)+len(shift.Leaves) > 0 {
			trial.Groups = append(trial.Groups, shift)
		}
	}
	return trial, nil
}

// laidOver gives the facts that a device has afterwards.
func (f Facts) laidOver(now fleet.Facts) fleet.Facts {
	if f.Path != nil {
		now.Path = text.NFC(*f.Path)
	}
	if f.Tags != nil {
		now.Tags = text.Set(*f.Tags)
	}
	if f.PrimaryUser != nil {
		now.PrimaryUser = text.NFC(*f.PrimaryUser)
	}
	return now
}

func alteredFacts(device string, before, after fleet.Facts) []Altered {
	var list []Altered
	for _, of := range []Altered{
		{device, "path", before.Path, after.Path},
		{device, "tags", strings.Join(before.Tags, " "), strings.Join(after.Tags, " ")},
		{device, "primary user", before.PrimaryUser, after.PrimaryUser},
	} {
		if of.Before != of.After {
			list = append(list, of)
		}
	}
	return list
}

// checkFacts refuses more devices than one edit may have, and a fact that none may have.
func checkFacts(edits []Facts) error {
	if len(edits) > maxFactsEdit {
		return refusal.New(refusal.Invalid, "%d devices are too many for one edit; send at most %d at a time",
			len(edits), maxFactsEdit)
	}
	for _, edit := range edits {
		if err := edit.check(); err != nil {
			return err
		}
	}
	return nil
}
