package reporting

import (
	"cmp"
	"context"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// RolloutSummary is a rollout with its devices in reach, counted by outcome.
type RolloutSummary struct {
	store.Rollout
	Title   string           // of the change
	Machine *rollout.Rollout // without devices
	Tally   rollout.Tally    // of all waves
	Whole   bool             // every device of it is in reach, so that the numbers of its gates may be told
}

// Rollout is a rollout as an operator may see it.
type Rollout struct {
	RolloutSummary
	Reason string // of the change
	Waves  []Wave
	Edited bool // its change is another one by now
	Names  map[string]string
}

// Wave is a wave with its devices in reach.
type Wave struct {
	rollout.Wave                   // its tally is that of all its devices
	InReach      rollout.Tally     // of those in reach
	Readings     []rollout.Reading // of its gate; nil before it opens
	Marks        []RolloutMark     // its devices by name; nil when they are too many to name
	Field        []rollout.Outcome // their outcomes where they are not named; nil when they are too many to draw
	Curve        []VerifiedBy
}

// RolloutMark is a device of a wave.
type RolloutMark struct {
	ID, Name string
	rollout.Device
}

// VerifiedBy is how many devices of a wave were verified so long after it opened.
type VerifiedBy struct {
	After   time.Duration
	Devices int
}

// Limits of what is drawn of a rollout.
const (
	maxCurve        = 60
	maxWaveMarks    = 300
	maxWaveField    = 20_000
	maxRolloutsRead = 500
)

// Rollouts lists a page, the latest first, only those under way where it is asked for.
func (s *Service) Rollouts(
	ctx context.Context, who rights.Identity, underWay bool, p store.Page,
) (list []RolloutSummary, next string, err error) {
	list = []RolloutSummary{}
	err = s.Snapshot(ctx, func(tx Reads) error {
		var records []store.Rollout
		if records, next, err = tx.ListRollouts(underWay, p); err != nil {
			return err
		}
		for _, r := range records {
			summary, err := s.summary(tx, who.Reach(rights.Look), r)
			if err != nil {
				return err
			}
			list = append(list, summary)
		}
		return nil
	})
	return list, next, err
}

// underWay are the rollouts that have not ended, with their devices in reach.
func (s *Service) underWay(tx Reads, who rights.Identity) ([]RolloutSummary, error) {
	records, _, err := tx.ListRollouts(true, store.Page{Limit: maxRolloutsRead})
	list := []RolloutSummary{}
	for _, r := range records {
		summary, wrong := s.summary(tx, who.Reach(rights.Look), r)
		if wrong != nil {
			return nil, wrong
		}
		list = append(list, summary)
	}
	return list, err
}

// summary counts the devices of a rollout in reach.
func (s *Service) summary(tx Reads, reach rights.Reach, record store.Rollout) (RolloutSummary, error) {
	machine, err := planning.Machine(record)
	out := RolloutSummary{Rollout: record, Machine: machine, Tally: rollout.Tally{}, Whole: reach.Everywhere()}
	if err != nil {
		return out, err
	}
	c, err := tx.Change(record.Name)
	if err != nil {
		return out, err
	}
	out.Title = c.Title
	if reach.Everywhere() {
		for _, w := range machine.Waves {
			for outcome, n := range w.Tally {
				out.Tally[outcome] += n
			}
		}
		return out, nil
	}
	devices, err := tx.RolloutDevices(record.ID)
	for _, d := range devices {
		if s.View.Has(reach, d.DeviceID) {
			out.Tally[d.Outcome]++
		}
	}
	return out, err
}

// Rollout finds one by the name of its change.
func (s *Service) Rollout(ctx context.Context, who rights.Identity, name string) (*Rollout, error) {
	reach := who.Reach(rights.Look)
	var out *Rollout
	err := s.Snapshot(ctx, func(tx Reads) error {
		record, err := tx.Rollout(name)
		if err != nil {
			return refusal.Named(err, "rollout", name)
		}
		c, err := tx.Change(name)
		if err != nil {
			return err
		}
		edits, err := tx.ChangeEdits(c.ID)
		if err != nil {
			return err
		}
		known, err := s.recent.of(tx, record)
		if err != nil {
			return err
		}
		out = &Rollout{
			RolloutSummary: RolloutSummary{
				Rollout: record,
				Title:   c.Title,
				Machine: known.machine,
				Tally:   rollout.Tally{},
				Whole:   reach.Everywhere(),
			},
			Reason: c.Reason,
			Edited: record.EndedAt == nil && !planning.SameEdits(edits, record.Edits),
			Names:  map[string]string{},
		}
		s.fill(out, reach, known.verified)
		return nil
	})
	return out, err
}

// fill puts the devices in reach into the waves of a rollout.
func (s *Service) fill(out *Rollout, reach rights.Reach, verified map[string]time.Time) {
	waves := make([]Wave, len(out.Machine.Waves))
	marks := make([][]RolloutMark, len(waves))
	after := make([][]time.Duration, len(waves))
	s.View.Each(s.Clock(), fleetview.Filter{Reach: reach}, s.visitRollout(out, func(m RolloutMark) {
		marks[m.Wave] = append(marks[m.Wave], m)
		out.Tally[m.Outcome]++
		out.Names[m.ID] = m.Name
		if opened, at := out.Machine.Waves[m.Wave].OpenedAt, verified[m.ID]; opened != nil && !at.IsZero() {
			after[m.Wave] = append(after[m.Wave], max(0, at.Sub(*opened)))
		}
	}))
	for i, w := range out.Machine.Waves {
		wave := Wave{Wave: w, InReach: rollout.Tally{}, Curve: curve(after[i])}
		if w.OpenedAt != nil {
			wave.Readings = w.Readings(s.readingsAt(out))
		}
		for _, m := range marks[i] {
			wave.InReach[m.Outcome]++
			if len(marks[i]) > maxWaveMarks && len(marks[i]) <= maxWaveField {
				wave.Field = append(wave.Field, m.Outcome)
			}
		}
		if len(marks[i]) <= maxWaveMarks {
			wave.Marks = marks[i]
		}
		waves[i] = wave
	}
	out.Waves = waves
}

// visitRollout visits the devices of a rollout among those of the view.
func (s *Service) visitRollout(
	out *Rollout, visit func(m RolloutMark),
) func(d *fleetview.Device, _ drift.Standing) bool {
	return func(d *fleetview.Device, _ drift.Standing) bool {
		if of, there := out.Machine.Devices[d.ID]; there {
			visit(RolloutMark{d.ID, d.Name, of})
		}
		return true
	}
}

// readingsAt is the time for which gates are read: while nothing soaks, that of the last decision.
func (s *Service) readingsAt(out *Rollout) time.Time {
	if out.Machine.State == rollout.Running {
		return s.Now()
	}
	return out.Machine.Decisions[len(out.Machine.Decisions)-1].At
}

// curve is how many devices were verified by when, at a few points of time.
func curve(after []time.Duration) []VerifiedBy {
	slices.Sort(after)
	points := []VerifiedBy{}
	step := max(1, (len(after)+maxCurve-1)/maxCurve)
	for i, at := range after {
		if n := i + 1; n%step == 0 || n == len(after) {
			points = append(points, VerifiedBy{at, n})
		}
	}
	return points
}

// RolloutDeviceFilter narrows the devices of a rollout. Empty fields do not.
type RolloutDeviceFilter struct {
	Wave    int // from 1, 0 for any
	Outcome rollout.Outcome
}

// RolloutDevices lists a page of the devices of a rollout in reach, by name, after the one of a name.
func (s *Service) RolloutDevices(
	ctx context.Context, who rights.Identity, name string, f RolloutDeviceFilter, after string, limit int,
) (list []RolloutMark, next string, err error) {
	if f.Outcome != "" && !slices.Contains(rollout.Outcomes, f.Outcome) {
		return nil, "", refusal.Unknown("outcome", string(f.Outcome), rollout.Outcomes)
	}
	r, err := s.Rollout(ctx, who, name)
	if err != nil {
		return nil, "", err
	}
	list = []RolloutMark{}
	s.View.Each(s.Clock(), fleetview.Filter{Reach: who.Reach(rights.Look)}, s.visitRollout(r, func(m RolloutMark) {
		if (f.Wave == 0 || m.Wave == f.Wave-1) && (f.Outcome == "" || m.Outcome == f.Outcome) && m.Name > after {
			list = append(list, m)
		}
	}))
	slices.SortFunc(list, func(a, b RolloutMark) int { return cmp.Compare(a.Name, b.Name) })
	if len(list) > limit {
		list, next = list[:limit], list[limit-1].Name
	}
	return list, next, nil
}
