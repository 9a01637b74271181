package authoring

import (
	"cmp"
	"context"
	"fmt"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"

	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
)

// Preview is what some edits would do to the devices in somebody's reach.
type Preview struct {
	Fleet   int // devices in reach
	Devices int // of those, affected
	Silent  int // of those affected, that never reported: their effects are not known
	Leaving int // of those affected, on which somebody leaves administrators
	Sums    []effect.Sum
	Groups  []fleetview.GroupCount // devices affected, by group
	Joining []principal.Ref        // principals that desired states add to administrators
	Version int64                  // of the change, 0 for edits that are in none
	Digest  string                 // of what somebody approves or applies; see [digestOf]. Empty for edits that are in no change
	Needs   []string               // why a second person must approve, in words
}

// futures are the two plans of a preview, for devices by name.
type futures struct {
	*preview.Comparison
	devices       []*fleetview.Device
	edits         []change.Edit
	before, after plan.Inputs
	now, then     *plan.Plan // without the edits, and with them
}

// mostPreviews is how many previews are worked out at once; the others wait.
const mostPreviews = 2

// previewBatch is how many reports are read in one query.
const previewBatch = 1000

// future works out both plans for edits, for the devices in reach.
func (s *Service) future(ctx context.Context, reach rights.Reach, edits []Edit) (*futures, error) {
	f, err := s.read(ctx, reach, edits)
	if err != nil {
		return nil, err
	}
	f.plan()
	return f, ctx.Err()
}

// plan works out both plans.
func (f *futures) plan() {
	f.now = plan.Run(f.before, atOnce)
	f.then = plan.RunAfter(f.now, f.after, atOnce)
	f.Comparison = preview.NewComparison(f.now, f.then)
}

// read reads the inputs of both plans, for the devices in reach by name; groups beside those that are in use are read too.
func (s *Service) read(ctx context.Context, reach rights.Reach, edits []Edit, groups ...string) (*futures, error) {
	f := &futures{devices: s.View.Devices(reach)}
	slices.SortStableFunc(f.devices, func(a, b *fleetview.Device) int { return cmp.Compare(a.Name, b.Name) })
	err := s.DB.InSnapshot(ctx, func(tx Records) (err error) {
		index := make(map[string]int, len(f.devices))
		planned := make([]planning.Device, len(f.devices))
		for i, d := range f.devices {
			index[d.NameKey] = i
			planned[i] = planning.Device{NameKey: d.NameKey, Facts: d.Facts}
			planned[i].Facts.Name = d.Name
		}
		var also planning.Beside
		f.edits = make([]change.Edit, len(edits))
		for i := range edits {
			if f.edits[i], _, err = prepare(tx, &edits[i], index); err != nil {
				return s.explain(err, edits[i])
			}
		}
		if also, err = planning.NamedByEdits(tx, f.edits, groups); err != nil {
			return err
		}
		f.before, _, err = planning.Read(tx, s.Documents, planned, also)
		return err
	})
	if err != nil {
		return nil, err
	}
	if f.after, err = change.Apply(f.before, f.edits); err != nil {
		return nil, refuseEdit(err)
	}
	return f, ctx.Err()
}

// atOnce uses all processors for what is independent.
func atOnce(n int, do func(i int)) {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { do(i); return nil })
	}
	_ = running.Wait() // nothing fails
}

// each visits the devices from one on that may be affected, in batches, several at once. What visit does for one batch is
// done by one goroutine; a batch is named by its number.
func (s *Service) each(
	ctx context.Context, f *futures, from, to int, visit func(batch int, device int, known preview.Device),
) error {
	var touched []int
	for d := from; d < to; d++ {
		if f.Touches(d) {
			touched = append(touched, d)
		}
	}
	told := &lastTold{s: s}
	running, ctx := errgroup.WithContext(ctx)
	running.SetLimit(runtime.GOMAXPROCS(0))
	for batch := range batches(len(touched)) {
		part := touched[batch*previewBatch : min((batch+1)*previewBatch, len(touched))]
		running.Go(func() error {
			ids := make([]string, len(part))
			for i, d := range part {
				ids[i] = f.devices[d].ID
			}
			known, err := s.DB.With(ctx).KnownStates(ids)
			if err != nil {
				return err
			}
			for i, d := range part {
				k := preview.Device{State: known[ids[i]].State}
				if f.NeedsPrevious(d) {
					if k.Previous, err = told.settings(ctx, known[ids[i]].Settings); err != nil {
						return err
					}
				}
				visit(batch, d, k)
			}
			return ctx.Err()
		})
	}
	return running.Wait()
}

func batches(touched int) int { return (touched + previewBatch - 1) / previewBatch }

// sum counts the effects of both plans, and gives the devices that are affected.
func (s *Service) sum(ctx context.Context, f *futures) (*preview.Tally, []*fleetview.Device, error) {
	tallies := make([]*preview.Tally, batches(len(f.devices)))
	affected := make([][]*fleetview.Device, len(tallies))
	for i := range tallies {
		tallies[i] = preview.NewTally()
	}
	err := s.each(ctx, f, 0, len(f.devices), func(batch, device int, known preview.Device) {
		if tallies[batch].Count(f.Comparison, device, known) {
			affected[batch] = append(affected[batch], f.devices[device])
		}
	})
	total := preview.NewTally()
	for _, t := range tallies {
		total.Merge(t)
	}
	return total, slices.Concat(affected...), err
}

// turn waits until a plan of the whole fleet may be worked out; done ends the turn.
func (s *Service) turn(ctx context.Context) (done func(), err error) {
	select {
	case s.previews <- struct{}{}:
		return func() { <-s.previews }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// previewEdits says what edits would do in a reach.
func (s *Service) previewEdits(ctx context.Context, reach rights.Reach, edits []Edit) (*Preview, *futures, error) {
	done, err := s.turn(ctx)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	f, err := s.future(ctx, reach, edits)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.summed(ctx, f)
	return p, f, err
}

// summed sums up what edits do, once both plans are worked out.
func (s *Service) summed(ctx context.Context, f *futures) (*Preview, error) {
	tally, affected, err := s.sum(ctx, f)
	if err != nil {
		return nil, err
	}
	return &Preview{
		Fleet: len(f.devices), Devices: tally.Devices, Silent: tally.Silent, Leaving: tally.Leaving, Sums: tally.Sums(),
		Groups: s.View.CountByGroup(affected), Joining: f.Joining(unit.Administrators),
	}, nil
}

// weigh is the preview of a change on the whole fleet, whose edits were read.
func (s *Service) weigh(ctx context.Context, c ChangeWithEdits, f *futures) (*Preview, error) {
	f.plan()
	p, err := s.summed(ctx, f)
	if err != nil {
		return nil, err
	}
	p.Version, p.Needs = c.Version, s.Approvals.needs(p, f)
	p.Digest = digestOf(c, p)
	return p, nil
}

// PreviewEdits says what edits that are in no change would do to the devices in reach.
func (s *Service) PreviewEdits(ctx context.Context, who rights.Identity, edits []Edit) (*Preview, error) {
	if len(edits) > MaxEdits {
		return nil, refusal.New(refusal.Invalid, "%d edits are too many; preview at most %d at once", len(edits), MaxEdits).
			At("edits")
	}
	p, _, err := s.previewEdits(ctx, who.Reach(rights.Look), edits)
	return p, err
}

// PreviewChange says what a change would do to the devices in reach. Its digest is that of the whole fleet.
func (s *Service) PreviewChange(ctx context.Context, who rights.Identity, name string) (*Preview, error) {
	whole, err := s.official(ctx, name)
	if err != nil || who.Reach(rights.Look).Everywhere() {
		return whole, err
	}
	_, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, err
	}
	p, _, err := s.previewEdits(ctx, who.Reach(rights.Look), edits)
	if err == nil {
		p.Version, p.Digest, p.Needs = whole.Version, whole.Digest, whole.Needs
	}
	return p, err
}

// official is the preview of a change on the whole fleet, with what somebody approves or applies.
func (s *Service) official(ctx context.Context, name string) (*Preview, error) {
	c, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, err
	}
	p, f, err := s.previewEdits(ctx, rights.Everywhere, edits)
	if err != nil {
		return nil, err
	}
	p.Version, p.Needs = c.Version, s.Approvals.needs(p, f)
	p.Digest = digestOf(c, p)
	return p, nil
}

// openEdits reads a change with its edits; one that is closed has no preview.
func (s *Service) openEdits(ctx context.Context, name string) (ChangeWithEdits, []Edit, error) {
	c, err := s.Change(ctx, name)
	if err != nil {
		return c, nil, err
	}
	if err := mustBeOpen(c.Change); err != nil {
		return c, nil, err
	}
	edits := make([]Edit, len(c.Edits))
	for i, e := range c.Edits {
		edits[i] = e.Edit
	}
	return c, edits, nil
}

// AffectedDevice is what a change would do to one device.
type AffectedDevice struct {
	ID string
	effect.Affected
}

// AffectedDevices lists a page of the devices in reach that a change affects, by name, after the one of a name. Pages after
// the first are of the same plans, so that they fit together.
func (s *Service) AffectedDevices(
	ctx context.Context, who rights.Identity, name, after string, limit int,
) (list []AffectedDevice, next string, err error) {
	c, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, "", err
	}
	done, err := s.turn(ctx)
	if err != nil {
		return nil, "", err
	}
	defer done()
	reach := who.Reach(rights.Look)
	key := fmt.Sprint(name, " ", c.Version, " ", reach.Everywhere(), reach.Groups())
	f := s.recent.get(key)
	if f == nil || after == "" {
		if f, err = s.future(ctx, reach, edits); err != nil {
			return nil, "", err
		}
		s.recent.put(key, f)
	}
	list = []AffectedDevice{}
	err = s.visitAffected(ctx, f, after, func(d AffectedDevice) bool {
		if len(list) == limit {
			next = list[limit-1].Device
			return false
		}
		list = append(list, d)
		return true
	})
	return list, next, err
}

// visitAffected works out devices by name, some at a time, until visit wants no more.
func (s *Service) visitAffected(
	ctx context.Context, f *futures, after string, visit func(d AffectedDevice) bool,
) error {
	from := 0
	if after != "" {
		at, found := slices.BinarySearchFunc(
			f.devices,
			after,
			func(d *fleetview.Device, name string) int { return cmp.Compare(d.Name, name) },
		)
		if from = at; found {
			from++
		}
	}
	for from < len(f.devices) {
		to := f.window(from)
		affected := make([]*AffectedDevice, to-from)
		if err := s.each(ctx, f, from, to, func(_, device int, known preview.Device) {
			if a := f.Device(device, known); a.Any() {
				affected[device-from] = &AffectedDevice{f.devices[device].ID, a}
			}
		}); err != nil {
			return err
		}
		for _, a := range affected {
			if a != nil && !visit(*a) {
				return nil
			}
		}
		from = to
	}
	return nil
}

// window is the end of the next devices that are worked out together: about one batch of those that may be affected.
func (f *futures) window(from int) int {
	touched := 0
	for to := from; to < len(f.devices); to++ {
		if f.Touches(to) {
			if touched++; touched > previewBatch {
				return to
			}
		}
	}
	return len(f.devices)
}

// reaching are the assignments of the second plan that the edits put into force.
func (f *futures) reaching() (list []assign.Assignment) {
	touched := func(a assign.Assignment) bool {
		return slices.ContainsFunc(f.edits, func(e change.Edit) bool {
			return e.Kind == change.Assign && e.Name == a.Name || e.Kind == change.Publish && e.Name == a.Policy
		})
	}
	for _, a := range f.after.Assignments {
		if touched(a) {
			list = append(list, a)
		}
	}
	return list
}
