package reporting

import (
	"context"
	"slices"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// keptHistory is how long it is known how the fleet stood.
const keptHistory = 400 * 24 * time.Hour

// RecordStandings stores how the fleet and each group stand now, as those of this hour. It is the only thing that this
// room writes.
func (s *Service) RecordStandings(ctx context.Context) error {
	now := s.Now()
	hour := now.UTC().Truncate(time.Hour)
	fleet := fleetview.Tally{}
	groups := s.View.Groups(
		s.Clock(),
		rights.Everywhere,
		fleetview.Drawn{},
		func(_ *fleetview.Device, standing drift.Standing) { fleet.Add(standing) },
	)
	list := []store.StandingHour{standingHour("", hour, fleet.Counts())}
	for _, g := range groups {
		list = append(list, standingHour(g.Name, hour, g.Counts))
	}
	return s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
		if err := tx.PutStandingHours(list); err != nil {
			return err
		}
		return tx.DropStandingHours(now.Add(-keptHistory))
	})
}

func standingHour(group string, hour time.Time, c Counts) store.StandingHour {
	return store.StandingHour{
		GroupName: group,
		Hour:      hour,
		InStep:    c[drift.InStep],
		Drifted:   c[drift.Drifted],
		Waiting:   c[drift.Waiting],
		Held:      c[drift.Held],
		Silent:    c[drift.Silent],
	}
}

// StandingHistory is how the devices of a group stood over some days, of the fleet when none is named. Whoever has
// reach over some groups sees the history of those, and that of the fleet not at all.
func (s *Service) StandingHistory(
	ctx context.Context, who rights.Identity, group string, days int,
) ([]store.StandingHour, error) {
	mine := who.Reach(rights.Look)
	if group == assign.Everything {
		group = ""
	}
	tx := s.Read(ctx)
	if err := devicegroups.Asked(tx, group); err != nil {
		return nil, err
	}
	if !mine.Everywhere() && !slices.Contains(mine.Groups(), group) {
		return []store.StandingHour{}, nil
	}
	return tx.StandingHours(group, s.Now().Add(-time.Duration(days)*24*time.Hour))
}
