package reporting

import (
	"context"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/store"
)

// Figures are what the service tells of itself and of the fleet, for whoever watches it by machine.
type Figures struct {
	store.Figures
	Standings map[drift.Standing]int // every one of them, also those without devices
	Findings  int                    // open ones
}

// Figures reads them. They name nobody and nothing.
func (s *Service) Figures(ctx context.Context) (f Figures, err error) {
	if f.Figures, err = s.Read(ctx).Figures(s.Now()); err != nil {
		return f, err
	}
	f.Standings = map[drift.Standing]int{}
	for _, standing := range drift.Standings {
		f.Standings[standing] = 0
	}
	s.View.Each(s.Clock(), fleetview.Filter{Reach: rights.Everywhere},
		func(d *fleetview.Device, standing drift.Standing) bool {
			f.Standings[standing]++
			f.Findings += len(d.Findings)
			return true
		})
	return f, nil
}
