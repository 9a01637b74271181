package journal

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/wire/protocol"
)

// Accept keeps an order to change passwords until it is done; orders for the same one join.
func (j *Journal) Accept(o protocol.Order) {
	w := Order{Order: o}
	for _, of := range j.Rules() {
		if o.Subject == "" || o.Subject == of.Target.String() {
			w.Left = append(w.Left, of.Target)
		}
	}
	j.Waiting = append(j.Waiting, w)
}

// Result keeps what became of an order until the service has stored it. Results go by number.
func (j *Journal) Result(number int64, state, detail string, at time.Time) {
	j.Results = slices.DeleteFunc(j.Results, func(r protocol.OrderResult) bool { return r.Number == number })
	j.Results = append(j.Results, protocol.OrderResult{Number: number, State: state, Detail: detail, At: at.UTC()})
	slices.SortFunc(j.Results, func(x, y protocol.OrderResult) int { return int(x.Number - y.Number) })
}

// Stop notes which passwords no rule changes any more. They stay in escrow.
func (j *Journal) Stop(now time.Time) {
	rules := j.Rules()
	for name, r := range j.Passwords {
		ruled := slices.ContainsFunc(rules, func(of Rule) bool { return of.Target.String() == name })
		if !ruled && !r.Stopped && !r.Changed.IsZero() {
			target, _ := principal.Parse(name) // it was written by us
			j.Note(now, drift.Event{
				Kind:    drift.RotationStopped,
				Unit:    unit.RotationOf(target),
				Details: drift.Details{Time: new(r.Changed.UTC())},
			})
		}
		r.Stopped = !ruled
	}
}

// Marks are the numbers that a check-in tells.
func (j *Journal) Marks() protocol.DepositMarks {
	marks := protocol.DepositMarks{Latest: j.Deposit}
	for _, r := range j.Passwords {
		for _, k := range r.Kept {
			if k.Confirmed && k.Epoch == j.Epoch {
				marks.Confirmed = max(marks.Confirmed, k.Number)
			}
		}
	}
	return marks
}
