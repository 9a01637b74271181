package changes

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"rankwarden.example/core/change"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/rights"

	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/base/refusal"
)

// Preview is what some edits would do to the devices in somebody's reach.
type Preview struct {
	forecast.Summary
	Version int64    // of the change, 0 for edits that are in none
	Digest  string   // of what somebody approves or applies; see [digestOf]. Empty for edits that are in no change
	Needs   []string // why a second person must approve, in words
	Part    bool     // the change does more, to devices out of reach; then it has no digest
}

// futures are the two plans of a preview, for the edits between them.
type futures struct {
	*forecast.Forecast
	edits    []change.Step
	underWay []change.Step // of rollouts that are on their way
}

// mostPreviews is how many previews of people who draft or decide are worked out at once, and mostLooks of everybody
// else's; the others wait.
const mostPreviews, mostLooks = 2, 1

// mostRecent is how many previews that somebody pages through are kept.
const mostRecent = 4

// future works out both plans for edits, for the devices in reach.
func (s *Service) future(ctx context.Context, reach rights.Reach, edits []change.Edit) (*futures, error) {
	f, err := s.read(ctx, reach, edits, "")
	if err != nil {
		return nil, err
	}
	f.Run()
	return f, ctx.Err()
}

// read reads the inputs of both plans, for the devices in reach by name, and the rollouts under way other than that of
// a change; groups beside those that are in use are read too.
func (s *Service) read(
	ctx context.Context, reach rights.Reach, edits []change.Edit, except string, groups ...string,
) (*futures, error) {
	f := &futures{Forecast: forecast.For(s.View.Devices(reach), s.Now())}
	err := s.Snapshot(ctx, func(tx Reads) (err error) {
		index, err := planning.ByName(tx, f.Planned())
		if err != nil {
			return err
		}
		f.edits = make([]change.Step, len(edits))
		for i := range edits {
			if f.edits[i], _, err = s.prepare(tx, &edits[i], index); err != nil {
				return s.explain(err, edits[i])
			}
		}
		under, err := s.underWay(tx, f.Forecast, except)
		if err != nil {
			return err
		}
		also, err := planning.NamedByEdits(tx, f.edits, append(groups, under.beside.Groups...))
		if err != nil {
			return err
		}
		maps.Copy(also.Policies, under.beside.Policies)
		also.Principals = append(also.Principals, under.beside.Principals...)
		f.underWay = under.edits
		f.Before, _, err = planning.Read(tx, s.Documents, f.Planned(), also)
		return err
	})
	if err != nil {
		return nil, err
	}
	if f.After, err = change.Apply(f.Before, f.edits); err != nil {
		return nil, refuseEdit(err)
	}
	return f, ctx.Err()
}

// known reads what is known of devices.
func (s *Service) known(ctx context.Context) forecast.Records { return s.Read(ctx) }

// turn waits until a plan of the whole fleet may be worked out for somebody; done ends the turn.
func (s *Service) turn(ctx context.Context, who rights.Identity) (done func(), err error) {
	turns := s.looks
	if who.May(rights.Draft) || who.May(rights.Deploy) {
		turns = s.previews
	}
	if err := turns.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	return func() { turns.Release(1) }, nil
}

// previewEdits says to somebody what edits would do in a reach, beside the rollouts under way other than that of a
// change.
func (s *Service) previewEdits(
	ctx context.Context, who rights.Identity, reach rights.Reach, edits []change.Edit, except string,
) (*Preview, *futures, error) {
	done, err := s.turn(ctx, who)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	f, err := s.read(ctx, reach, edits, except)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.sum(ctx, f.Forecast, f.underWay)
	return p, f, err
}

// PreviewEdits says what edits that are in no change would do to the devices in reach.
func (s *Service) PreviewEdits(ctx context.Context, who rights.Identity, edits []change.Edit) (*Preview, error) {
	if len(edits) > MaxEdits {
		return nil, refusal.New(refusal.Invalid, "%d edits are too many; preview at most %d at once", len(edits),
			MaxEdits).
			At("edits")
	}
	p, _, err := s.previewEdits(ctx, who, who.Reach(rights.Look), edits, "")
	return p, err
}

// PreviewChange says what a change would do to the devices in reach. Where that is all it does, the digest is what
// somebody applies or approves; who sees only a part is told so, and neither how much nor what more there is.
func (s *Service) PreviewChange(ctx context.Context, who rights.Identity, name string) (*Preview, error) {
	whole, err := s.official(ctx, who, name)
	mine := who.Reach(rights.Look)
	if err != nil || mine.Everywhere() {
		return whole, err
	}
	_, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, err
	}
	p, _, err := s.previewEdits(ctx, who, mine, edits, name)
	if err != nil {
		return nil, err
	}
	open, err := openByRule(s.Read(ctx), mine, edits)
	if err != nil {
		return nil, err
	}
	p.Version = whole.Version
	if p.Part = open || len(p.IDs) < len(whole.IDs); !p.Part {
		p.Digest, p.Needs = whole.Digest, whole.Needs
	}
	return p, nil
}

// official is the preview of a change on the whole fleet, with what somebody approves or applies.
func (s *Service) official(ctx context.Context, who rights.Identity, name string) (*Preview, error) {
	c, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, err
	}
	what := slices.Clone(edits)
	p, f, err := s.previewEdits(ctx, who, rights.Everywhere, edits, name)
	if err != nil {
		return nil, err
	}
	p.Version = c.Version
	p.Needs = s.Rules.Judge(gate.Alteration{Access: p.Access, Everything: aimedAtEverything(f.Before, f.After),
		Devices: p.Devices, Fleet: p.Fleet}).Needs
	p.Digest = digestOf(what, p)
	return p, nil
}

// openEdits reads a change with its edits; one that is closed has no preview.
func (s *Service) openEdits(ctx context.Context, name string) (ChangeWithEdits, []change.Edit, error) {
	c, err := s.Change(ctx, name)
	if err != nil {
		return c, nil, err
	}
	if err := mustBeOpen(c.Change); err != nil {
		return c, nil, err
	}
	edits := make([]change.Edit, len(c.Edits))
	for i, e := range c.Edits {
		edits[i] = e.Edit
	}
	return c, edits, nil
}

// AffectedDevices lists a page of the devices in reach that a change affects, by name, after the one of a name. Pages
// after the first are of the same plans, so that they fit together.
func (s *Service) AffectedDevices(
	ctx context.Context, who rights.Identity, name, after string, limit int,
) (list []forecast.AffectedDevice, next string, err error) {
	c, edits, err := s.openEdits(ctx, name)
	if err != nil {
		return nil, "", err
	}
	done, err := s.turn(ctx, who)
	if err != nil {
		return nil, "", err
	}
	defer done()
	reach := who.Reach(rights.Look)
	key := fmt.Sprint(name, " ", c.Version, " ", reach.Everywhere(), reach.Groups())
	f, _ := s.recent.Get(key)
	if f == nil || after == "" {
		if f, err = s.future(ctx, reach, edits); err != nil {
			return nil, "", err
		}
		s.recent.Add(key, f)
	}
	list = []forecast.AffectedDevice{}
	err = f.VisitAffected(ctx, s.known, after, func(d forecast.AffectedDevice) bool {
		if len(list) == limit {
			next = list[limit-1].Device
			return false
		}
		list = append(list, d)
		return true
	})
	return list, next, err
}
