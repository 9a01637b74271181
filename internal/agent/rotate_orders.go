package agent

import (
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/protocol"
)

// take keeps an order to change passwords until it is done; orders for the same one join.
func (m *memory) take(o protocol.Order) {
	w := waitingOrder{Order: o}
	for _, of := range m.ruledRotations() {
		if o.Subject == "" || o.Subject == of.target.String() {
			w.Left = append(w.Left, of.target)
		}
	}
	m.Waiting = append(m.Waiting, w)
}

// finishOrders strikes a password that was changed from the orders whose time had come, and ends those
// with nothing left to do.
func (a *Agent) finishOrders(target principal.Ref, began time.Time) {
	r := a.memory.rotating(target)
	a.endOrders(func(o *waitingOrder) (string, string) {
		// What was shown is no longer the password after any change, so nothing is left to do after a view.
		if o.NotBefore.After(began) && !o.Revealed || !slices.Contains(o.Left, target) {
			return "", ""
		}
		if o.Left = slices.DeleteFunc(o.Left, func(t principal.Ref) bool { return t == target }); len(o.Left) > 0 {
			return "", ""
		}
		return protocol.OrderDone, "the password was changed, deposit " + r.Deposit
	})
}

// dropOrders ends orders for passwords that no rule changes.
func (a *Agent) dropOrders() {
	rules := a.memory.ruledRotations()
	a.endOrders(func(o *waitingOrder) (string, string) {
		o.Left = slices.DeleteFunc(o.Left, func(t principal.Ref) bool {
			return !slices.ContainsFunc(rules, func(of ruled) bool { return of.target == t })
		})
		if len(o.Left) > 0 {
			return "", ""
		}
		return protocol.OrderFailed, "no rule changes this password on the device; add a rotation for it"
	})
}

// tellOrders says that an order did not succeed yet, and why. It goes on waiting.
func (a *Agent) tellOrders(target principal.Ref, now time.Time, err error) {
	for i := range a.memory.Waiting {
		o := &a.memory.Waiting[i]
		if slices.Contains(o.Left, target) && !o.NotBefore.After(now) && o.Told != err.Error() {
			o.Told = err.Error()
			a.memory.result(o.Number, protocol.OrderDelivered, "not done yet, it is tried again: "+o.Told, now)
		}
	}
}

func (a *Agent) endOrders(decide func(o *waitingOrder) (state, detail string)) {
	var waiting []waitingOrder
	for _, o := range a.memory.Waiting {
		if state, detail := decide(&o); state != "" {
			a.memory.result(o.Number, state, detail, a.now())
		} else {
			waiting = append(waiting, o)
		}
	}
	a.memory.Waiting = waiting
}

// result keeps what became of an order until the service has stored it. Results go by number.
func (m *memory) result(number int64, state, detail string, at time.Time) {
	m.Results = slices.DeleteFunc(m.Results, func(r protocol.OrderResult) bool { return r.Number == number })
	m.Results = append(m.Results, protocol.OrderResult{Number: number, State: state, Detail: detail, At: at.UTC()})
	slices.SortFunc(m.Results, func(x, y protocol.OrderResult) int { return int(x.Number - y.Number) })
}

// stopped notes which passwords no rule changes any more. They stay in escrow.
func (m *memory) stopped(now time.Time) {
	rules := m.ruledRotations()
	for name, r := range m.Rotations {
		ruled := slices.ContainsFunc(rules, func(of ruled) bool { return of.target.String() == name })
		if !ruled && !r.Stopped && !r.Changed.IsZero() {
			target, _ := principal.Parse(name) // it was written by us
			m.note(now, drift.Event{Kind: drift.RotationStopped, Unit: unit.RotationOf(target), Details: drift.Details{Time: new(r.Changed.UTC())}})
		}
		r.Stopped = !ruled
	}
}
