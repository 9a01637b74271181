package reconcile

import (
	"bytes"
	"encoding/json"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/wire/protocol"
)

// Taken is what a pass took away of the settings of its job: members of local groups, and values that were others.
func (o Outcome) Taken(job Job) []journal.Taken {
	var taken []journal.Taken
	for _, s := range job.Settings {
		if name, ok := s.Unit.LocalGroup(); ok {
			before, _ := o.Before.Group(name)
			after, there := o.After.Group(name)
			for _, m := range before.Members {
				if there && !after.Has(m.SID) {
					taken = append(taken, journal.Taken{Unit: s.Unit, Member: m.SID})
				}
			}
			continue
		}
		before, after := o.Before.Value(s.Unit), o.After.Value(s.Unit)
		if key, is := s.Unit.AccountKey(); is {
			if _, had := job.Bindings[key]; had {
				continue // it was managed before
			}
			before, after = accountOf(&o.Before, o.Bindings, key), accountOf(&o.After, o.Bindings, key)
		}
		if before == nil || after == nil || before.Equal(after) {
			continue
		}
		change := drift.ChangeOf(before, after)
		taken = append(taken, journal.Taken{Unit: s.Unit, Before: change.From, After: change.To})
	}
	return taken
}

// accountOf is what the account of a key is on a device, but for its password; nil where there is none.
func accountOf(state *drift.State, bindings Bindings, key string) unit.Value {
	for _, a := range state.Accounts {
		if sid, bound := bindings[key]; bound && a.SID == sid {
			return unit.AccountValue{Key: key, Name: a.Name, Formerly: []string{}, State: a.State(), Details: a.Details,
				KeepPassword: true}
		}
	}
	return nil
}

// Returning is what is to be given back to a device in a state, as settings of a pass of its own, and what cannot be,
// as events that say why.
type Returning struct {
	Settings []unit.Setting
	Enable   []principal.SID // accounts that were disabled because no policy named them
	Refused  []drift.Event
}

// Reasons why something is not given back.
const (
	alteredSince = "it was altered since"
	ruledNow     = "a policy in force asks for something else"
	unreadable   = "what was there cannot be read any more"
)

// Return works out what give-backs come to on a device: only what is as the device left it, and what no desired setting
// forbids.
func Return(due []protocol.GiveBack, asked []unit.Setting, state *drift.State, j *journal.Journal) Returning {
	r := &returning{asked: map[unit.ID]unit.Value{}, state: state, bindings: j.Bindings}
	for _, s := range asked {
		r.asked[s.Unit] = s.Value
	}
	for _, g := range due {
		for _, id := range g.Units {
			taken := j.TakenSince(id, g.Since)
			switch _, isGroup := id.LocalGroup(); {
			case len(taken) == 0:
			case id == unit.Others:
				r.others(taken, drift.NamedByNobody(asked))
			case isGroup:
				r.members(id, taken)
			default:
				r.value(id, taken)
			}
		}
	}
	return r.Returning
}

type returning struct {
	Returning
	asked    map[unit.ID]unit.Value
	state    *drift.State
	bindings Bindings
}

func (r *returning) refuse(id unit.ID, subject, why string) {
	r.Refused = append(r.Refused, drift.Event{
		Kind: drift.NotGivenBack, Unit: id, Subject: subject, Details: drift.Details{Error: why},
	})
}

// members gives back those who are not in the group again already.
func (r *returning) members(id unit.ID, taken []journal.Taken) {
	name, _ := id.LocalGroup()
	group, there := r.state.Group(name)
	if !there {
		return
	}
	asked, ruled := r.asked[id].(unit.Members)
	back := unit.Members{}
	for _, t := range taken {
		ref := principal.FromSID(t.Member)
		named := r.state.Name(t.Member, nil)
		switch {
		case group.Has(t.Member) || slices.Contains(back.Present, ref):
		case ruled && (asked.Closed || slices.Contains(asked.Absent, ref) || slices.Contains(asked.Absent, named)):
			r.refuse(id, named.String(), ruledNow)
		default:
			back.Present = append(back.Present, ref)
		}
	}
	if len(back.Present) > 0 {
		slices.SortFunc(back.Present, principal.Compare)
		r.Settings = append(r.Settings, unit.Setting{Unit: id, Value: back})
	}
}

// others gives back the state of accounts that no policy named, unless that is asked again, or a policy manages one.
func (r *returning) others(taken []journal.Taken, nobody *drift.Nobody) {
	for _, t := range taken {
		i := slices.IndexFunc(r.state.Accounts, func(a drift.Account) bool { return a.SID == t.Member })
		if i < 0 || r.state.Accounts[i].Enabled || slices.Contains(r.Enable, t.Member) {
			continue
		}
		a := r.state.Accounts[i]
		managed := false
		for key, sid := range r.bindings {
			_, asked := r.asked[unit.AccountOf(key)]
			managed = managed || asked && sid == a.SID
		}
		if managed || nobody != nil && nobody.Has(&a) {
			r.refuse(unit.Others, principal.FromLocal(a.Name).String(), ruledNow)
			continue
		}
		r.Enable = append(r.Enable, a.SID)
	}
}

// value gives back the value that was found first, unless it is another by now than the device set last.
func (r *returning) value(id unit.ID, taken []journal.Taken) {
	if _, ruled := r.asked[id]; ruled {
		return // what is in force now has been set already
	}
	value := r.state.Value(id)
	if key, is := id.AccountKey(); is {
		value = accountOf(r.state, r.bindings, key)
	}
	now, err := json.Marshal(value)
	if bytes.Equal(now, taken[0].Before) {
		return // somebody gave it back already
	}
	if err != nil || !bytes.Equal(now, taken[len(taken)-1].After) {
		r.refuse(id, "", alteredSince)
		return
	}
	before, err := unit.Decode(id, taken[0].Before)
	if err != nil {
		r.refuse(id, "", unreadable)
		return
	}
	r.Settings = append(r.Settings, unit.Setting{Unit: id, Value: before})
}

// Returned says of a pass that gave back what came of it.
func (o Outcome) Returned(settings []unit.Setting, enabled []principal.SID) []drift.Event {
	var events []drift.Event
	for _, a := range o.After.Accounts {
		if slices.Contains(enabled, a.SID) && a.Enabled {
			events = append(events, drift.Event{Kind: drift.GivenBack, Unit: unit.Others,
				Subject: principal.FromLocal(a.Name).String()})
		}
	}
	for _, s := range settings {
		failed := slices.IndexFunc(o.Failures, func(f drift.Failure) bool { return f.Unit == s.Unit })
		e := drift.Event{Kind: drift.GivenBack, Unit: s.Unit}
		if failed >= 0 {
			e.Kind, e.Error = drift.NotGivenBack, o.Failures[failed].Error
		}
		members, isGroup := s.Value.(unit.Members)
		if !isGroup {
			if failed < 0 {
				e.Details = drift.ChangeOf(o.Before.Value(s.Unit), o.After.Value(s.Unit))
			}
			events = append(events, e)
			continue
		}
		for _, ref := range members.Present {
			e.Subject = o.After.Name(ref.SID(), nil).String()
			events = append(events, e)
		}
	}
	return events
}
