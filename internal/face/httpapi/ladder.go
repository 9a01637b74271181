package httpapi

import (
	"context"
	"slices"

	"rankwarden.example/api"
	"rankwarden.example/core/ladder"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/room/changes"
)

// namedDevices is how many devices of a way are named.
const namedDevices = 5

// viewWay shows one way in which devices come to their settings: the rungs, and what each setting comes to.
func viewWay(l *changes.Ladder, w ladder.Way) api.Way {
	way := api.Way{
		Devices: len(w.Devices),
		First:   l.Names(w, namedDevices),
		Units:   []api.LadderUnit{},
		Rungs:   []api.Rung{},
		Settled: []api.LadderSettled{},
	}
	if w.Err != nil {
		way.Error = w.Err.Error()
	}
	claims := map[unit.ID][]unit.Value{}
	for _, r := range w.Rungs {
		rung := api.Rung{
			Assignment: r.Name,
			Policy:     r.Policy,
			Rank:       int(r.Rank),
			Stance:     string(r.Stance),
			Undecided:  r.Undecided,
			Cells:      []api.LadderCell{},
		}
		for _, c := range r.Cells {
			claims[c.Unit] = append(claims[c.Unit], c.Value)
			cell := api.LadderCell{Unit: c.Unit.String(), Words: present.Value(c.Unit, c.Value), State: string(c.State)}
			cell.Members, cell.Closed = ladderMembers(c.Value)
			if c.Why != "" {
				cell.Why = present.Lost(resolve.LosingClaim{Why: c.Why})
			}
			rung.Cells = append(rung.Cells, cell)
		}
		way.Rungs = append(way.Rungs, rung)
	}
	for _, s := range w.Settled {
		settled := api.LadderSettled{
			Unit:  s.Unit.Unit.String(),
			Words: present.Value(s.Unit.Unit, s.Value),
			Why:   present.Why(s.Unit),
		}
		if s.Held != nil {
			settled.Held = present.Held(*s.Held)
		}
		way.Settled = append(way.Settled, settled)
	}
	units := make([]unit.ID, 0, len(claims))
	for id := range claims {
		units = append(units, id)
	}
	slices.SortFunc(units, present.Compare)
	for _, id := range units {
		values := claims[id]
		differs := slices.ContainsFunc(values, func(v unit.Value) bool { return !v.Equal(values[0]) })
		way.Units = append(way.Units, api.LadderUnit{
			Unit:    id.String(),
			Title:   present.UnitInFull(id),
			Section: present.Section(id),
			Differs: differs,
		})
	}
	return way
}

func (a *routes) ladderRoutes() {
	register(a, operation.ShowLadder, a.showLadder)
}

// showLadder draws the ladder, as if the edits in the request were made. It is a POST, since edits do not fit into
// an address.
func (a *routes) showLadder(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Device string           `json:"device,omitempty" maxLength:"100" doc:"Name of a device"`
		Group  string           `json:"group,omitempty" maxLength:"63" doc:"Name of a group; the fleet without either"`
		Edits  []api.ChangeEdit `json:"edits,omitempty" maxItems:"500" nullable:"false"`
	}
}) (*struct{ Body api.Ladder }, error) {
	q := changes.LadderQuery{Device: in.Body.Device, Group: in.Body.Group, Edits: in.Body.Edits}
	l, err := a.Changes.Ladder(ctx, who, q)
	if err != nil {
		return nil, err
	}
	view := api.Ladder{Devices: l.Devices, Ways: []api.Way{}, More: l.More, Warrants: []api.LadderWarrant{}}
	for _, w := range l.Ways {
		view.Ways = append(view.Ways, viewWay(l, w))
	}
	if q.Device != "" {
		w, err := a.Reporting.Why(ctx, who, q.Device)
		if err != nil {
			return nil, err
		}
		for _, u := range viewWhy(w).Units {
			for _, x := range u.Warrants {
				view.Warrants = append(view.Warrants, api.LadderWarrant{Unit: u.Unit, Title: u.Title, Words: x.Words})
			}
		}
	}
	return &struct{ Body api.Ladder }{view}, nil
}

// ladderMembers is what a claim on a local group says of members, one by one.
func ladderMembers(value unit.Value) (members []api.LadderMember, closed bool) {
	members = []api.LadderMember{}
	said, ok := value.(unit.Statement)
	if !ok {
		return members, false
	}
	add := func(refs []principal.Ref, in bool) {
		for _, ref := range refs {
			members = append(members, api.LadderMember{Ref: ref.String(), Words: present.Principal(ref), In: in})
		}
	}
	add(said.Members, true)
	add(said.Remove, false)
	return members, said.Mode == unit.Exact
}
