// Package forecast compares what devices have with what they would have: two plans for the same devices, and what the
// difference does to each of them.
package forecast

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Records is what a forecast needs of the records.
type Records interface {
	Asked(digest string) (protocol.DesiredContent, error)
	KnownStates(ids []string) (map[string]store.KnownState, error)
	WarrantsOf(devices []string, after time.Time) (map[string][]protocol.Warrant, error)
}

// Source gives the records for reading, outside of a transaction. Several goroutines call it.
type Source func(ctx context.Context) Records

// Fleet knows the devices as they are now.
type Fleet interface {
	Devices(reach rights.Reach) []*fleetview.Device
	Live(ids []string) []*fleetview.Device
	Size() int
	// Fitting counts the live devices in reach with an account that no policy manages and whose name fits.
	Fitting(reach rights.Reach, fits func(name string) bool) int
	// Within are the identifiers of the live devices in reach and in a group.
	Within(reach rights.Reach, group string) []string
	CountByGroup(devices []*fleetview.Device) []fleetview.GroupCount
}

// batchSize is how many reported states are read in one query.
const batchSize = 1000

// Forecast is two plans for the same devices: as they are without some edits, and with them.
type Forecast struct {
	*preview.Comparison
	At            time.Time           // at which warrants run
	Devices       []*fleetview.Device // by name; the plans have them at the same indexes
	Before, After plan.Inputs         // of the two plans
	Now, Then     *plan.Plan          // set by [Forecast.Run]
}

// For begins a forecast for devices at a time; their order becomes that of their names.
func For(devices []*fleetview.Device, at time.Time) *Forecast {
	slices.SortStableFunc(devices, func(a, b *fleetview.Device) int { return cmp.Compare(a.Name, b.Name) })
	return &Forecast{Devices: devices, At: at}
}

// Planned gives the devices as a plan has them.
func (f *Forecast) Planned() []planning.Device {
	planned := make([]planning.Device, len(f.Devices))
	for i, d := range f.Devices {
		planned[i] = planning.Device{ID: d.ID, NameKey: d.NameKey, Facts: d.Facts}
		planned[i].Facts.Name = d.Name
	}
	return planned
}

// Run plans both, once their inputs are set.
func (f *Forecast) Run() {
	f.Now = plan.Run(f.Before, InParallel)
	f.Then = plan.RunAfter(f.Now, f.After, InParallel)
	f.Comparison = preview.NewComparison(f.Now, f.Then)
}

// Affected gives what both plans have for each device on which they differ, by identifier.
func (f *Forecast) Affected() planning.Affected {
	return planning.AffectedBy(f.Now, f.Then, func(d int) string { return f.Devices[d].ID })
}

// InParallel calls do for 0 to n-1 on all processors. The calls must be independent of each other.
func InParallel(n int, do func(i int)) {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { do(i); return nil })
	}
	_ = running.Wait() // nothing fails
}

// Summary is what edits do to devices, in numbers.
type Summary struct {
	Fleet   int // devices that were planned
	Devices int // of those, affected
	Silent  int // of those affected, that never reported: their effects are not known
	Leaving int // of those affected, on which somebody leaves administrators
	Sums    []effect.Sum
	Groups  []fleetview.GroupCount // devices affected, by group
	Access  effect.AccessSet       // how the ways in change, with identifiers of devices
	IDs     []string               // identifiers of the devices affected
}

// Sum counts the effects on all devices.
func (f *Forecast) Sum(ctx context.Context, from Source, view Fleet) (Summary, error) {
	tallies := make([]*preview.Tally, batches(len(f.Devices)))
	affected := make([][]*fleetview.Device, len(tallies))
	access := make([]effect.AccessSet, len(tallies))
	for i := range tallies {
		tallies[i], access[i] = preview.NewTally(), effect.AccessSet{}
	}
	err := f.each(ctx, from, 0, len(f.Devices), func(batch, device int, known preview.Device) {
		tell := func(e effect.AccessEffect) { access[batch].Add(e, f.Devices[device].ID) }
		if tallies[batch].Count(f.Comparison, device, known, tell) {
			affected[batch] = append(affected[batch], f.Devices[device])
		}
	})
	if err != nil {
		return Summary{}, err
	}
	total := preview.NewTally()
	for _, t := range tallies {
		total.Merge(t)
	}
	ways := effect.MergeAll(append(access, preview.Statements(f.Before, f.After))...)
	all := slices.Concat(affected...)
	ids := make([]string, len(all))
	for i, d := range all {
		ids[i] = d.ID
	}
	return Summary{
		Fleet: len(f.Devices), Devices: total.Devices, Silent: total.Silent, Leaving: total.Leaving, Sums: total.Sums(),
		Groups: view.CountByGroup(all), Access: ways, IDs: ids,
	}, nil
}

// each visits the devices from one index on, up to another, that may be affected. They are read in batches, several at
// once; what visit does for one batch is done by one goroutine. A batch is named by its number.
func (f *Forecast) each(
	ctx context.Context, from Source, first, end int, visit func(batch, device int, known preview.Device),
) error {
	var touched []int
	for d := first; d < end; d++ {
		if f.Touches(d) {
			touched = append(touched, d)
		}
	}
	previous := &previousSettings{from: from}
	running, ctx := errgroup.WithContext(ctx)
	running.SetLimit(runtime.GOMAXPROCS(0))
	for batch := range batches(len(touched)) {
		part := touched[batch*batchSize : min((batch+1)*batchSize, len(touched))]
		running.Go(func() error {
			ids := make([]string, len(part))
			for i, d := range part {
				ids[i] = f.Devices[d].ID
			}
			known, err := from(ctx).KnownStates(ids)
			if err != nil {
				return err
			}
			warrants, err := from(ctx).WarrantsOf(ids, f.At)
			if err != nil {
				return err
			}
			for i, d := range part {
				k := preview.Device{State: known[ids[i]].State,
					Warrants: protocol.DesiredContent{Warrants: warrants[ids[i]]}.Running(f.At)}
				if f.NeedsPrevious(d) {
					if k.Previous, err = previous.of(ctx, known[ids[i]].Settings); err != nil {
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

func batches(devices int) int { return (devices + batchSize - 1) / batchSize }
