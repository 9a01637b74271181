package rotate

import (
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/journal"
	"rankwarden.example/internal/wire/protocol"
)

// finishOrders strikes a password that was changed from the orders whose time had come, and ends those
// with nothing left to do.
func (x *Rotator) finishOrders(target principal.Ref, began time.Time) {
	r := x.Journal.Password(target)
	x.endOrders(func(o *journal.Order) (string, string) {
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
func (x *Rotator) dropOrders() {
	rules := x.Journal.Rules()
	x.endOrders(func(o *journal.Order) (string, string) {
		o.Left = slices.DeleteFunc(o.Left, func(t principal.Ref) bool {
			return !slices.ContainsFunc(rules, func(of journal.Rule) bool { return of.Target == t })
		})
		if len(o.Left) > 0 {
			return "", ""
		}
		return protocol.OrderFailed, "no rule changes this password on the device; add a rotation for it"
	})
}

// tellOrders says that an order did not succeed yet, and why. It goes on waiting.
func (x *Rotator) tellOrders(target principal.Ref, now time.Time, err error) {
	for i := range x.Journal.Waiting {
		o := x.Journal.Waiting[i]
		if slices.Contains(o.Left, target) && !o.NotBefore.After(now) && o.LastError != err.Error() {
			o.LastError = err.Error()
			x.Journal.Result(o.Number, protocol.OrderDelivered, "not done yet, it is tried again: "+o.LastError, now)
		}
	}
}

func (x *Rotator) endOrders(decide func(o *journal.Order) (state, detail string)) {
	var waiting []journal.Order
	for _, o := range x.Journal.Waiting {
		if state, detail := decide(&o); state != "" {
			x.Journal.Result(o.Number, state, detail, x.Now())
		} else {
			waiting = append(waiting, o)
		}
	}
	x.Journal.Waiting = waiting
}
