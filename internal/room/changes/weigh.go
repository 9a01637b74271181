package changes

import (
	"context"
	"errors"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// weighed is an alteration with what it would do.
type weighed struct {
	*Preview
	Judgement  gate.Judgement
	affected   planning.Affected
	in         func(device, group string) bool // after it
	everything []string                        // assignments that it aims at everything at once
	atOnce     bool
	beyond     bool // it reaches devices out of the asker's reach
}

// mustBeSeen reports whether whoever asks must look first.
func (x *weighed) mustBeSeen() bool {
	return slices.ContainsFunc(x.Judgement.Reasons, func(r gate.Reason) bool { return r.Answer == gate.Look })
}

// whyLook says why it must be looked at, or why somebody else must agree.
func (x *weighed) whyLook() (words []string) {
	for _, r := range x.Judgement.Reasons {
		words = append(words, r.Words)
	}
	return words
}

// mustBeReasoned reports whether a reason is asked for.
func (x *weighed) mustBeReasoned() bool { return len(x.Access) > 0 }

func (x *weighed) lost() int {
	return len(x.Access.Only(func(e effect.AccessEffect) bool {
		return e.Access == effect.AdministratorLost
	}).Devices())
}

// weighTried makes an alteration, sees what it does to the devices that it has settled, and takes it back.
func (s *Service) weighTried(ctx context.Context, tx Records, w *uow.Work, a attempt) (*weighed, error) {
	named, err := s.knowDocuments(tx)
	if err != nil {
		return nil, err
	}
	if err := tx.Mark(); err != nil {
		return nil, err
	}
	tried := w.Nested(w.Act())
	if err := a.make(tx, tried); err != nil {
		return nil, err
	}
	f, err := s.forecastOf(tx, tried)
	if err != nil {
		return nil, err
	}
	under, err := s.underWay(tx, f, w.Under())
	if err != nil {
		return nil, err
	}
	beside := under.beside
	beside.Groups, beside.Principals = append(beside.Groups, a.beside...), append(beside.Principals, named...)
	planned := f.Planned()
	if f.After, _, err = planning.Read(tx, s.Documents.Trying(), planned, beside); err != nil {
		return nil, err
	}
	more := effect.AccessSet{}
	if a.also != nil {
		if more, err = a.also(tx); err != nil {
			return nil, err
		}
	}
	if err := tx.BackToMark(); err != nil {
		return nil, err
	}
	for _, doc := range f.After.Policies { // both know whom either names
		beside.Principals = append(beside.Principals, doc.Principals()...)
	}
	if f.Before, _, err = planning.Read(tx, s.Documents, planned, beside); err != nil {
		return nil, err
	}
	x := &weighed{}
	if x.Preview, err = s.sum(ctx, f, under.edits); err != nil {
		return nil, err
	}
	x.Access.Merge(more)
	x.affected, x.everything = f.Affected(), aimedAtEverything(f.Before, f.After)
	index := make(map[string]int, len(f.Devices))
	for i, d := range f.Devices {
		index[d.ID] = i
	}
	x.in = func(device, group string) bool { return f.Then.In(group, index[device]) == assign.Yes }
	x.atOnce = a.atOnce == nil || a.atOnce(x)
	x.beyond, err = isBeyond(tx, w.Who(), x.Preview, f)
	if a.everybody {
		x.Devices = len(f.Devices)
	}
	x.Fleet = s.View.Size()
	x.Digest = digestOf(a.what, x.Preview)
	return x, err
}

// knowDocuments has every document in force be known, so that one that nobody altered is the same before and after. It
// gives whom they name.
func (s *Service) knowDocuments(tx Records) (named []principal.Ref, err error) {
	assignments, err := tx.Assignments()
	for _, a := range assignments {
		doc, err := s.Documents.Of(tx, a.PolicyID, a.Revision)
		switch {
		case errors.Is(err, cache.ErrUnreadable):
		case err != nil:
			return nil, err
		default:
			named = append(named, doc.Principals()...)
		}
	}
	return named, err
}

// forecastOf begins a forecast for the devices that some work has settled.
func (s *Service) forecastOf(tx Records, tried *uow.Work) (*forecast.Forecast, error) {
	groups, ids := tried.Settled()
	touched, err := tx.LiveDevices(groups, ids)
	if err != nil {
		return nil, err
	}
	ids = make([]string, len(touched))
	for i, t := range touched {
		ids[i] = t.ID
	}
	devices := s.View.Live(ids)
	var missing []string // that this replica has not heard of yet
	for i, at := 0, 0; i < len(ids); i++ {
		if at < len(devices) && devices[at].ID == ids[i] {
			at++
		} else {
			missing = append(missing, ids[i])
		}
	}
	if len(missing) > 0 {
		facts, err := tx.LiveFacts(missing)
		if err != nil {
			return nil, err
		}
		for _, d := range facts {
			devices = append(devices, &fleetview.Device{ID: d.ID, Name: d.Name, NameKey: d.NameKey, Facts: d.Facts()})
		}
	}
	return forecast.For(devices, s.Now()), nil
}

// underWay are the edits of rollouts that are on their way, and what they bring in.
type underWay struct {
	edits  []change.Step
	beside planning.Beside
}

// underWay reads the rollouts that are on their way, other than that of a change: what is altered now meets them on
// devices that come, or that have them already.
func (s *Service) underWay(tx Reads, f *forecast.Forecast, except string) (u underWay, err error) {
	records, err := tx.RolloutsUnderWay()
	if err != nil {
		return u, err
	}
	records = slices.DeleteFunc(records, func(r store.Rollout) bool { return r.Name == except })
	if len(records) == 0 {
		return u, nil
	}
	index, err := planning.ByName(tx, f.Planned())
	if err != nil {
		return u, err
	}
	rollouts := planning.ReadUnderWay(records, s.context(index))
	for _, r := range rollouts {
		if r.Err == nil { // one that cannot be made is halted
			u.edits = append(u.edits, r.Edits...)
		}
	}
	u.beside, err = planning.NamedByRollouts(tx, rollouts)
	return u, err
}

// sum is what a forecast comes to: as things are in force, and as they are once the rollouts under way are done.
func (s *Service) sum(ctx context.Context, f *forecast.Forecast, underWay []change.Step) (*Preview, error) {
	f.Run()
	sum, err := f.Sum(ctx, s.known, s.View)
	p := &Preview{Summary: sum}
	if err != nil || len(underWay) == 0 {
		return p, err
	}
	later := &forecast.Forecast{Devices: f.Devices}
	if later.Before, err = change.Apply(f.Before, underWay); err != nil {
		return p, nil // settling halts them
	}
	if later.After, err = change.Apply(f.After, underWay); err != nil {
		return p, nil
	}
	later.Run()
	then, err := later.Sum(ctx, s.known, s.View)
	if err != nil {
		return nil, err
	}
	p.add(then)
	return p, nil
}

// add adds what happens once the rollouts under way are done, as far as it is something else.
func (p *Preview) add(then forecast.Summary) {
	p.Access.Merge(then.Access)
	p.IDs = append(p.IDs, then.IDs...)
	slices.Sort(p.IDs)
	p.IDs = slices.Compact(p.IDs)
	p.Devices, p.Leaving = max(p.Devices, len(p.IDs)), max(p.Leaving, then.Leaving)
	for _, sum := range then.Sums {
		same := func(known effect.Sum) bool { return effect.CompareSums(known, sum) == 0 }
		if !slices.ContainsFunc(p.Sums, same) {
			p.Sums = append(p.Sums, sum)
		}
	}
	slices.SortFunc(p.Sums, effect.CompareSums)
}

// isBeyond reports whether a device that is affected is out of reach, or what is said of whichever device comes is not
// kept within a group in reach.
func isBeyond(tx Records, who rights.Identity, p *Preview, f *forecast.Forecast) (bool, error) {
	mine := who.Reach(rights.Deploy)
	if mine.Everywhere() {
		return false, nil
	}
	if n, err := tx.CountDevicesOutside(mine, p.IDs); err != nil || n > 0 {
		return n > 0, err
	}
	return p.Access.ConcernsAnyone() && !isKeptWithin(mine, f.Before, f.After), nil
}

// isKeptWithin reports whether every assignment that is altered stays within groups in reach, whoever comes into the
// groups that it includes.
func isKeptWithin(mine rights.Reach, before, after plan.Inputs) bool {
	return !slices.ContainsFunc(altered(before, after), func(a assign.Assignment) bool {
		return !mine.Keeps(a.Include, a.Within)
	})
}

// altered are the assignments that are others than before, or have another document.
func altered(before, after plan.Inputs) (list []assign.Assignment) {
	were := map[string]assign.Assignment{}
	for _, a := range before.Assignments {
		were[a.Name] = a
	}
	for _, a := range after.Assignments {
		was, there := were[a.Name]
		if !there || !was.Equal(a) || before.Policies[was.Policy] != after.Policies[a.Policy] {
			list = append(list, a)
		}
	}
	return list
}

// aimedAtEverything are the altered assignments that reach every device.
func aimedAtEverything(before, after plan.Inputs) (names []string) {
	for _, a := range altered(before, after) {
		if a.Stance == assign.Enforce && slices.Contains(a.Include, assign.Everything) && len(a.Within) == 0 {
			names = append(names, a.Name)
		}
	}
	return names
}
