package warrants

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Bounds of warrants.
const (
	MostDevices = 50
	MostInGroup = 1000
	least       = 15 * time.Minute
	Longest     = 30 * 24 * time.Hour
	soonest     = 30 * 24 * time.Hour // from now, at which one begins at the latest
	mostOpen    = 20                  // on one device
	mostReason  = 2000                // bytes
)

// Asking is what somebody asks for.
type Asking struct {
	Principal   string
	LocalGroup  string // administrators when empty
	Devices     []string
	Group       string     // instead of devices: those that are in it now
	From        *time.Time // at once, or when it is agreed, where nil
	Lasts       time.Duration
	Reason      string
	Ticket      string
	Despite     bool // also where the principal is asked to be no member
	EndSessions bool
}

// Ask asks for a warrant. It is agreed at once where nobody else needs to agree; else it waits.
func (s *Service) Ask(ctx context.Context, who rights.Identity, a Asking) (Warrant, error) {
	w, err := s.checked(a)
	if err != nil {
		return Warrant{}, err
	}
	var made Warrant
	act := uow.ByOperator(operation.AskWarrant, who, w.ID).Because(w.Reason).ShowingAttempts()
	err = s.Do(ctx, act, func(tx Records, work *uow.Work) error {
		ref, err := known(tx, w.Principal)
		if err != nil {
			return err
		}
		right, err := rightToAsk(who, ref)
		if err != nil {
			return err
		}
		if w.Principal = ref.String(); w.EndSessions && ref.Kind() == principal.Group {
			return refusal.New(refusal.Invalid, "the sessions of a whole group cannot be ended; name one person, or "+
				"leave end_sessions out").At("end_sessions")
		}
		devices, err := s.devices(tx, who, a)
		if err != nil {
			return err
		}
		ids := idsOf(devices)
		if err := s.inTime(tx, who, a.Lasts, ids); err != nil {
			return err
		}
		if err := reach.Check(tx, who, right, ids); err != nil {
			return err
		}
		if err := tx.LockDevices(ids); err != nil {
			return err
		}
		open, err := tx.CountWarrants(ids)
		if err != nil {
			return err
		}
		for _, d := range devices {
			if open[d.ID] >= mostOpen {
				return refusal.New(refusal.Conflict, "%s has %d warrants that wait or run; take one of them back first",
					d.Name, open[d.ID]).WithCode("too_many_warrants").At("devices")
			}
		}
		w.AskedBy, w.AskedByID = who.Name, who.OperatorID
		if w.Needs, err = s.needs(tx, who, w, ids); err != nil {
			return err
		}
		if len(w.Needs) == 0 {
			if err := s.agreed(tx, work, &w, devices, who.Name); err != nil {
				return err
			}
			w.DecidedBy = "" // nobody had to
		}
		work.Tell(store.TopicEdits)
		work.After = told(w, devices)
		if err := tx.AddWarrant(w, ids); err != nil {
			return err
		}
		if err := noteMembers(tx, w); err != nil {
			return err
		}
		made, err = s.view(tx, who, w)
		return err
	})
	return made, err
}

// rightToAsk is the right that asking for somebody needs on the devices: less for oneself, as the identity provider
// calls whoever asks.
func rightToAsk(who rights.Identity, holder principal.Ref) (rights.Right, error) {
	if own, err := principal.Parse("user:" + who.Name); err == nil && who.AtProvider && own == holder {
		return rights.AskOwn, nil
	}
	if who.May(rights.Ask) {
		return rights.Ask, nil
	}
	words := "with the role %s you may ask for yourself alone, as user:%s"
	if !who.AtProvider {
		words = "with the role %s you may ask for yourself alone, and only whoever signs in with the identity " +
			"provider is known in the directory; %s is not"
	}
	return "", refusal.New(refusal.Forbidden, words, rights.RoleNames(who.Grants), who.Name).
		WithCode("own_warrants_only")
}

// checked is a warrant as it is asked for, but for what the records say of it.
func (s *Service) checked(a Asking) (w store.Warrant, err error) {
	now := s.Now()
	reason, name := strings.TrimSpace(a.Reason), a.LocalGroup
	if name == "" {
		name = unit.GroupAdministrators
	}
	switch {
	case reason == "" || len(reason) > mostReason:
		return w, refusal.New(refusal.Invalid, "say why, for whoever agrees and whoever looks at it later, in at most "+
			"%d characters", mostReason).At("reason")
	case a.From != nil && (a.From.Before(now.Add(-time.Minute)) || a.From.Sub(now) > soonest):
		return w, refusal.New(refusal.Invalid, "a warrant begins now, or within thirty days").At("from")
	case text.CheckName(name, principal.MaxLocalName) != nil:
		return w, refusal.New(refusal.Invalid, "%q cannot name a local group", name).At("local_group")
	case text.CheckVisible(a.Ticket) != nil || len(a.Ticket) > mostReason:
		return w, refusal.New(refusal.Invalid, "the ticket has characters that nobody sees").At("ticket")
	}
	w = store.Warrant{ID: store.NewID(now), Unit: unit.MembershipOf(text.Fold(name)).String(), Principal: a.Principal,
		LastsSeconds: int(a.Lasts.Seconds()), Despite: a.Despite, EndSessions: a.EndSessions, Reason: reason,
		Ticket: a.Ticket, Group: a.Group, State: store.WarrantWaiting, People: []string{}, AskedAt: now}
	if a.From != nil {
		w.StartsAt, w.EndsAt = a.From, new(a.From.Add(a.Lasts))
	}
	return w, nil
}

// known is a principal that can have a warrant, in the form of a member.
func known(tx Reads, written string) (ref principal.Ref, err error) {
	ref, err = principal.Parse(written)
	if err != nil {
		return ref, refusal.New(refusal.Invalid, "%s", err).At("principal")
	}
	if !warrant.CanHold(ref) {
		return ref, refusal.New(refusal.Invalid, "%s cannot have a warrant: policies manage such accounts; name a "+
			"user:, group:, sid: or local: principal", ref).At("principal")
	}
	table, err := tx.DirectoryAround([]principal.Ref{ref})
	if err != nil {
		return ref, err
	}
	if ref = principal.Normal(ref, table); !ref.Kind().InDirectory() {
		return ref, nil
	}
	if _, there := table.SID(ref); !there {
		words := fmt.Sprintf("the directory does not know %s, so no device could find it", ref)
		if near := table.Near(ref); len(near) > 0 {
			words += fmt.Sprintf("; did you mean %s?", near[0])
		}
		return ref, refusal.New(refusal.Invalid, "%s", words).At("principal")
	}
	return ref, nil
}

// inTime refuses a warrant that would hold for longer than it may, or too briefly to be of use.
func (s *Service) inTime(tx Reads, who rights.Identity, lasts time.Duration, ids []string) error {
	among, err := tx.GroupsAmong(s.Caps.Named(), ids)
	if err != nil {
		return err
	}
	roles := make([]rights.Role, len(who.Grants))
	for i, g := range who.Grants {
		roles[i] = g.Role
	}
	most, why := s.Caps.For(roles, among)
	if most = min(most, Longest); lasts >= least && lasts <= most {
		return nil
	}
	return refusal.New(refusal.Invalid, "a warrant holds for %s to %s %s", present.Minutes(int(least.Minutes())),
		present.Minutes(int(most.Minutes())), cmp.Or(why, "here")).At("minutes")
}

// devices are those that are asked for, each once: some by name or identifier, or those of a group, which do not become
// more by an agreement.
func (s *Service) devices(tx Reads, who rights.Identity, a Asking) (list []store.WarrantDevice, err error) {
	if a.Group != "" {
		if len(a.Devices) > 0 {
			return nil, refusal.New(refusal.Invalid, "name devices, or a group, not both").At("group")
		}
		return s.inGroup(tx, who, a.Group)
	}
	if len(a.Devices) == 0 || len(a.Devices) > MostDevices {
		return nil, refusal.New(refusal.Invalid, "name 1 to %d devices, or a group; for more, write a "+
			"policy", MostDevices).
			At("devices")
	}
	for _, name := range a.Devices {
		d, err := reach.Visible(tx, s.Clock(), who, name)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(list, func(x store.WarrantDevice) bool { return x.ID == d.ID }) {
			list = append(list, store.WarrantDevice{ID: d.ID, Name: d.Name})
		}
	}
	return list, nil
}

// inGroup are the live devices of a group that somebody sees.
func (s *Service) inGroup(tx Reads, who rights.Identity, group string) (list []store.WarrantDevice, err error) {
	if err := devicegroups.Asked(tx, group); err != nil {
		return nil, err
	}
	in := fleetview.Filter{Reach: who.Reach(rights.Look), Group: group}
	s.View.Each(s.Clock(), in, func(d *fleetview.Device, _ drift.Standing) bool {
		if d.State == store.Live {
			list = append(list, store.WarrantDevice{ID: d.ID, Name: d.Name})
		}
		return len(list) <= MostInGroup
	})
	if len(list) == 0 || len(list) > MostInGroup {
		return nil, refusal.New(refusal.Invalid, "a warrant is for the devices of a group of 1 to %d that you see; "+
			"for more, write a policy", MostInGroup).At("group")
	}
	return list, nil
}

// needs says why somebody else must agree, nothing where nobody must.
func (s *Service) needs(tx Reads, who rights.Identity, w store.Warrant, ids []string) ([]string, error) {
	needs := slices.Clone(s.Rules.Judge(gate.Alteration{Source: gate.Person, Seen: true, Access: access(w, ids)}).Needs)
	if w.Despite {
		needs = append(needs, "a policy may ask for the opposite, and it holds despite that")
	}
	outside, beyond := "", !who.May(rights.Deploy)
	if mine := who.Reach(rights.Deploy); !beyond && !mine.Everywhere() {
		var err error
		if outside, err = tx.OutOfReach(mine, ids); err != nil {
			return nil, err
		}
	}
	if beyond || outside != "" {
		needs = append(needs, "whoever asks may not deploy to its devices")
	}
	return needs, nil
}

// access are the ways in that a warrant opens.
func access(w store.Warrant, ids []string) effect.AccessSet {
	set := effect.AccessSet{}
	id, err := unit.Parse(w.Unit)
	if err != nil || !id.IsPrivileged() {
		return set
	}
	for _, device := range ids {
		set.Add(effect.AccessEffect{Access: effect.AdministratorGained, Unit: id, Subject: w.Principal}, device)
	}
	return set
}

// told is what the trail keeps of a warrant.
func told(w store.Warrant, devices []store.WarrantDevice) map[string]any {
	names := make([]string, min(len(devices), MostDevices))
	for i := range names {
		names[i] = devices[i].Name
	}
	after := map[string]any{"principal": w.Principal, "unit": w.Unit, "devices": names, "state": w.State,
		"minutes": w.LastsSeconds / 60}
	if more := len(devices) - len(names); more > 0 {
		after["more_devices"] = more // the record of the warrant has all of them
	}
	if w.Group != "" {
		after["group"] = w.Group
	}
	if w.EndsAt != nil {
		after["from"], after["until"] = w.StartsAt, w.EndsAt
	}
	if len(w.People) > 0 {
		after["people"] = w.People
	}
	if w.Despite {
		after["despite"] = true
	}
	return after
}
