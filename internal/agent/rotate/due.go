package rotate

import (
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
	"rankwarden.example/internal/agent/journal"
)

// due is when the password is to change, and why.
func (x *Rotator) due(of journal.Rule, r *journal.Password) (time.Time, rotation.Reason) {
	known := rotation.DueInput{Last: r.Changed, Now: r.Now, Used: r.Used}
	for _, o := range x.Journal.Waiting {
		if slices.Contains(o.Left, of.Target) && (known.Asked == nil || o.NotBefore.Before(*known.Asked)) {
			known.Asked, known.Reveal = &o.NotBefore, o.Revealed
		}
	}
	rule := rotation.Rule{
		Every:    time.Duration(of.EveryMinutes) * time.Minute,
		AfterUse: time.Duration(of.AfterUse.WaitMinutes) * time.Minute,
	}
	return rotation.Due(rule, known, rotation.Spread(x.Journal.Device, of.Target.String()))
}

// Report is what a report says of passwords.
func (x *Rotator) Report(state drift.State) []drift.Rotation {
	rules := map[string]journal.Rule{}
	for _, of := range x.Journal.Rules() {
		rules[of.Target.String()] = of
	}
	var list []drift.Rotation
	for _, name := range slices.Sorted(maps.Keys(x.Journal.Passwords)) {
		r := x.Journal.Passwords[name]
		target, err := principal.Parse(name)
		if err != nil || r.Changed.IsZero() {
			continue
		}
		entry := drift.Rotation{Target: target, RotatedAt: r.Changed.UTC(), Deposit: r.Deposit}
		if of, asked := rules[name]; asked {
			next, _ := x.due(of, r)
			if next.IsZero() {
				next = r.Changed // it is overdue since its last change
			}
			entry.Next = new(next.UTC())
		}
		entry.Elsewhere = r.Now == rotation.Elsewhere
		list = append(list, entry)
	}
	return list
}
