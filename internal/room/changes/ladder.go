package changes

import (
	"context"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/ladder"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/refusal"
)

// MostWays is how many ways of a ladder are told, those with the most devices.
const MostWays = 50

// LadderQuery says whose ladder is asked for: that of a device, of a group, or of the fleet when neither is named.
type LadderQuery struct {
	Device string // name
	Group  string
	Edits  []change.Edit // the ladder is drawn as if they were made
}

// Ladder is how the assignments decide the settings of some devices.
type Ladder struct {
	Devices int // all that are meant
	Ways    []ladder.Way
	More    int                     // ways that are not told
	names   func(device int) string // of the plan
}

// Names are the names of the first devices of a way.
func (l *Ladder) Names(w ladder.Way, most int) []string {
	names := []string{}
	for _, d := range w.Devices[:min(most, len(w.Devices))] {
		names = append(names, l.names(d))
	}
	return names
}

// Ladder draws the ladder of devices in reach.
func (s *Service) Ladder(ctx context.Context, who rights.Identity, q LadderQuery) (*Ladder, error) {
	if q.Device != "" && q.Group != "" {
		return nil, refusal.New(refusal.Invalid, "a ladder is of a device or of a group; name one of them").At("group")
	}
	var groups []string
	if q.Group != "" && q.Group != assign.Everything {
		if err := devicegroups.Exist(s.Read(ctx), "group", []string{q.Group}); err != nil &&
			!editsGroup(q.Edits, q.Group) {
			return nil, err
		}
		groups = []string{q.Group}
	}
	done, err := s.turn(ctx, who)
	if err != nil {
		return nil, err
	}
	defer done()
	f, err := s.read(ctx, who.Reach(rights.Look), q.Edits, "", groups...)
	if err != nil {
		return nil, err
	}
	p := plan.Run(f.After, forecast.InParallel)
	wanted := func(int) bool { return true }
	switch {
	case q.Device != "":
		wanted = ladder.Only(p.Devices, q.Device)
	case q.Group != "":
		wanted = ladder.InGroup(p, q.Group)
	}
	l := &Ladder{Ways: ladder.Ways(p, wanted), names: func(d int) string { return f.Devices[d].Name }}
	for _, w := range l.Ways {
		l.Devices += len(w.Devices)
	}
	if q.Device != "" && l.Devices == 0 {
		return nil, refusal.Missing("device", q.Device)
	}
	if len(l.Ways) > MostWays {
		l.More, l.Ways = len(l.Ways)-MostWays, l.Ways[:MostWays]
	}
	return l, ctx.Err()
}

func editsGroup(edits []change.Edit, group string) bool {
	for _, e := range edits {
		if e.Name == group {
			return true
		}
	}
	return false
}
