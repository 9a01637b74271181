package httpapi

import (
	"cmp"
	"context"
	"encoding/base64"
	"slices"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// outcomes are how outcomes are written in a row of thousands.
var outcomes = map[rollout.Outcome]byte{
	rollout.NotOpen: 'n', rollout.Told: 't', rollout.Working: 'w', rollout.Verified: 'v', rollout.Failed: 'f',
	rollout.GuardRefused: 'g', rollout.Held: 'h', rollout.Lost: 'x', rollout.Late: 'l',
}

func viewTally(t rollout.Tally) api.RolloutTally {
	return api.RolloutTally{
		NotOpen: t[rollout.NotOpen], Told: t[rollout.Told], Working: t[rollout.Working], Verified: t[rollout.Verified],
		Failed: t[rollout.Failed], GuardRefused: t[rollout.GuardRefused], Held: t[rollout.Held], Lost: t[rollout.Lost],
		Late: t[rollout.Late],
	}
}

// viewRolloutSummary shows a rollout as lists do.
func viewRolloutSummary(r reporting.RolloutSummary) api.RolloutSummary {
	v := api.RolloutSummary{
		Change: r.Name, Title: r.Title, State: string(r.State), StartedAt: r.StartedAt, StartedBy: r.StartedBy,
		EndedAt: r.EndedAt, Waves: len(r.Machine.Waves), OpenWaves: r.Machine.Open() + 1, Tally: viewTally(r.Tally),
		Trouble: r.Trouble,
	}
	if n := len(r.Machine.Decisions); n > 0 {
		last := r.Machine.Decisions[n-1]
		last.Devices = nil // they are named on the rollout itself
		v.Said = decisionWords(last, r)
	}
	return v
}

// decisionWords says what was decided, with numbers only where every device of the rollout is in reach.
func decisionWords(d rollout.Decision, r reporting.RolloutSummary) string {
	if r.Whole {
		return present.Decision(d, r.Machine.Waves)
	}
	return present.DecisionWithoutNumbers(d, r.Machine.Waves)
}

// viewRollout shows a rollout with its waves, gates and what stopped it.
func viewRollout(r *reporting.Rollout) api.Rollout {
	v := api.Rollout{
		RolloutSummary: viewRolloutSummary(r.RolloutSummary), Reason: r.Reason, Edited: r.Edited,
		Lanes: make([]api.Lane, len(r.Waves)), Decisions: []api.RolloutDecision{},
	}
	for i, w := range r.Waves {
		v.Lanes[i] = viewLane(i, w, r.Whole)
		if r.State == rollout.Running && i == r.Machine.Open() {
			v.Lanes[i].Stuck = present.Stuck(w.Wave, w.Readings)
		}
	}
	for _, d := range slices.Backward(r.Machine.Decisions) {
		named := d
		named.Devices = nil
		for _, id := range d.Devices {
			if name, inReach := r.Names[id]; inReach {
				named.Devices = append(named.Devices, name)
			}
		}
		slices.Sort(named.Devices)
		v.Decisions = append(v.Decisions, api.RolloutDecision{
			At: d.At, By: d.By, What: string(d.What), Words: decisionWords(named, r.RolloutSummary),
		})
	}
	if asked := r.Machine.Asked; asked != nil {
		v.Asked = &api.RolloutAsk{By: asked.By, Reason: asked.Reason, Wave: asked.Wave + 1}
	}
	return v
}

// viewLane shows one wave: its devices by outcome, and what its gate says of them.
func viewLane(at int, w reporting.Wave, whole bool) api.Lane {
	lane := api.Lane{
		Wave: at + 1, Title: w.Title, Devices: w.InReach.Devices(), Tally: viewTally(w.InReach), OpenedAt: w.OpenedAt,
		PassedAt: w.PassedAt, Gate: []api.GateReading{}, Marks: []api.LaneMark{}, Curve: []api.VerifiedBy{},
	}
	for _, g := range w.Readings {
		reading := api.GateReading{
			Condition: string(g.Condition),
			Met:       g.Met,
			Broken:    g.Broken,
			Words:     present.GateAsks(g),
		}
		if whole {
			reading.Words = present.GateReading(g)
		}
		lane.Gate = append(lane.Gate, reading)
	}
	for _, m := range w.Marks {
		lane.Marks = append(lane.Marks, api.LaneMark{Device: m.Name, DeviceID: m.ID, Outcome: string(m.Outcome)})
	}
	field := make([]byte, len(w.Field))
	for i, o := range w.Field {
		field[i] = outcomes[o]
	}
	lane.Field = string(field)
	for _, p := range w.Curve {
		lane.Curve = append(lane.Curve, api.VerifiedBy{Seconds: p.After.Seconds(), Devices: p.Devices})
	}
	return lane
}

func viewRolloutDevice(m reporting.RolloutMark) api.RolloutDevice {
	return api.RolloutDevice{
		Device: m.Name, DeviceID: m.ID, Wave: m.Wave + 1, Outcome: string(m.Outcome),
		Words: outcomeWords(m.Outcome, m.Settings),
	}
}

func outcomeWords(o rollout.Outcome, settings []unit.ID) string {
	words := present.Outcome(o)
	for i, id := range settings {
		words += map[bool]string{true: ": ", false: ", "}[i == 0] + present.Unit(id)
	}
	return words
}

// planFrom reads the plan of a rollout from a request. The core checks it.
func (a *routes) planFrom(b api.StartRollout) rollout.Plan {
	p := a.Changes.DefaultPlan()
	p.First = b.First
	if b.Shares != nil {
		p.Shares = b.Shares
	}
	if b.Gate != nil {
		p.Gate = rollout.Gate{
			Verified: b.Gate.Verified, Failed: b.Gate.Failed, Soak: time.Duration(b.Gate.SoakSeconds) * time.Second,
			Heard: cmp.Or(b.Gate.Heard, p.Gate.Heard),
		}
	}
	return p
}

// step is what a step of a rollout came to: the rollout, or its change while that waits for a second person.
func (a *routes) step(
	ctx context.Context, who rights.Identity, name string, took bool, err error,
) (*struct{ Body api.RolloutStep }, error) {
	out := &struct{ Body api.RolloutStep }{}
	if err != nil {
		return nil, err
	}
	if !took {
		c, err := a.Changes.Change(ctx, name)
		out.Body.Change = new(viewChangeDetail(who, a.Changes.SeenBy(who, c)))
		return out, err
	}
	a.Changed(ctx) // the lists have what was done
	r, err := a.Reporting.Rollout(ctx, who, name)
	if err == nil {
		out.Body.Rollout = new(viewRollout(r))
	}
	return out, err
}

func (a *routes) rolloutsRoutes() {
	register(a, operation.ListRollouts, a.listRollouts)
	register(a, operation.RolloutDefaults, a.rolloutDefaults)
	register(a, operation.ShowRollout, a.showRollout)
	register(a, operation.RolloutDevices, a.rolloutDevices)
	a.rolloutSteps()
}

func (a *routes) listRollouts(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	UnderWay bool `query:"under_way" doc:"Only those that have not ended"`
}) (*List[api.RolloutSummary], error) {
	list, next, err := a.Reporting.Rollouts(ctx, who, in.UnderWay, in.page())
	return listOf(list, next, err, viewRolloutSummary)
}

func (a *routes) rolloutDefaults(
	context.Context, rights.Identity, *struct{},
) (*struct{ Body api.RolloutDefaults }, error) {
	p := a.Changes.DefaultPlan()
	return &struct{ Body api.RolloutDefaults }{api.RolloutDefaults{
		Shares: p.Shares,
		Gate: api.Gate{
			Verified: p.Gate.Verified, Failed: p.Gate.Failed, SoakSeconds: int(p.Gate.Soak.Seconds()),
			Heard: p.Gate.Heard,
		},
	}}, nil
}

func (a *routes) showRollout(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.Rollout }, error) {
	r, err := a.Reporting.Rollout(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.Rollout }{viewRollout(r)}, nil
}

// rolloutDevices lists the devices of a rollout that are in reach.
func (a *routes) rolloutDevices(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	PageQuery
	Wave    int    `query:"wave" minimum:"0" doc:"Only those of this wave, from 1"`
	Outcome string `query:"outcome" doc:"Only those with this outcome"`
}) (*List[api.RolloutDevice], error) {
	after, err := base64.RawURLEncoding.DecodeString(in.Cursor)
	if err != nil {
		return nil, store.ErrCursor
	}
	f := reporting.RolloutDeviceFilter{Wave: in.Wave, Outcome: rollout.Outcome(in.Outcome)}
	list, next, err := a.Reporting.RolloutDevices(ctx, who, in.Name, f, string(after), in.Limit)
	return listOf(list, base64.RawURLEncoding.EncodeToString([]byte(next)), err, viewRolloutDevice)
}

// rolloutSteps are what is done with a rollout.
func (a *routes) rolloutSteps() {
	register(a, operation.StartRollout, a.startRollout)
	register(a, operation.PauseRollout, a.pauseRollout)
	register(a, operation.ResumeRollout, a.resumeRollout)
	register(a, operation.OpenWave, a.openWave)
	register(a, operation.RevertRollout, a.revertRollout)
}

func (a *routes) startRollout(
	ctx context.Context, who rights.Identity, in *struct {
		AtTheDoor
		Body api.StartRollout
	},
) (*struct{ Body api.RolloutStep }, error) {
	how := changes.GoingOut{Asking: changes.Asking{Seen: cmp.Or(in.Body.Digest, in.Seen),
		Reason: cmp.Or(in.Body.Reason, in.Reason)}, Plan: a.planFrom(in.Body), AtOnce: in.Body.AtOnce}
	_, started, err := a.Changes.StartRollout(ctx, who, in.Body.Change, how)
	return a.step(ctx, who, in.Body.Change, started, err)
}

func (a *routes) pauseRollout(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*struct{ Body api.RolloutStep }, error) {
	return a.step(ctx, who, in.Name, true, a.Deploy.PauseRollout(ctx, who, in.Name, in.Body.Reason))
}

func (a *routes) resumeRollout(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	AtTheDoor
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000" doc:"Needed after a stop"`
		Digest string `json:"digest,omitempty" maxLength:"100" doc:"That of the preview you have seen; needed where the change was edited"`
	}
}) (*struct{ Body api.RolloutStep }, error) {
	resumed, err := a.Changes.ResumeRollout(ctx, who, in.Name,
		changes.Asking{Seen: cmp.Or(in.Body.Digest, in.Seen), Reason: cmp.Or(in.Body.Reason, in.Reason)})
	return a.step(ctx, who, in.Name, resumed, err)
}

func (a *routes) openWave(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason string `json:"reason" maxLength:"2000"`
	}
}) (*struct{ Body api.RolloutStep }, error) {
	_, err := a.Deploy.OpenNextWave(ctx, who, in.Name, in.Body.Reason)
	return a.step(ctx, who, in.Name, true, err)
}

func (a *routes) revertRollout(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason   string `json:"reason" maxLength:"2000"`
		GiveBack bool   `json:"give_back,omitempty" doc:"Devices give back the members and values that the change took away"`
	}
}) (*struct{ Body api.RolloutStep }, error) {
	b := in.Body
	return a.step(ctx, who, in.Name, true, a.Deploy.RevertRollout(ctx, who, in.Name, b.Reason, b.GiveBack))
}
