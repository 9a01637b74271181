package uow

import (
	"encoding/json"
	"log/slog"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Work is an act in its transaction. What it gathers is written at the end of the transaction.
type Work struct {
	act           Act
	Before, After any // of the entry on the trail; never a secret

	quiet   bool
	notices []notices.Notice
	settle  []store.SettleRequest
	also    []audit.Entry
	now     time.Time
	log     *slog.Logger
	// interval is the time between two check-ins of a device.
	interval time.Duration
}

// Act is what the work does.
func (w *Work) Act() Act { return w.act }

// Who does it.
func (w *Work) Who() rights.Identity { return w.act.who }

// Action is what the trail calls it.
func (w *Work) Action() string { return w.act.action }

// Object is what it is done to.
func (w *Work) Object() string { return w.act.object }

// Reason is why, in the operator's words.
func (w *Work) Reason() string { return w.act.reason }

// Under names the change whose rollout does it, if any.
func (w *Work) Under() string { return w.act.under }

// SetWho says who does it, where that is known only once the work is under way, as with a sign-in.
func (w *Work) SetWho(who rights.Identity) { w.act.who = who }

// SetObject says what it is done to, where that is known only once the work is under way.
func (w *Work) SetObject(object string) { w.act.object = object }

// Call gives the work another name on the trail, where it turns out to be something else.
func (w *Work) Call(action string) { w.act.action = action }

// Explain gives the reason, where it stands in what is worked on.
func (w *Work) Explain(reason string) { w.act.reason = reason }

// Now is the time of the work.
func (w *Work) Now() time.Time { return w.now }

// OnlineFrom is since when a device must have been heard from to count as online at a time: two check-in intervals.
func (w *Work) OnlineFrom(at time.Time) time.Time { return at.Add(-2 * w.interval) }

// Tell has every replica told, once the work is durable, that things of a topic changed; without identifiers that
// any may have.
func (w *Work) Tell(topic string, ids ...string) {
	w.notices = append(w.notices, notices.Notice{Topic: topic, IDs: ids})
}

// Settle has devices settled again after the work: those of groups, by name, and those named by identifier.
func (w *Work) Settle(cause string, groups, devices []string) {
	w.settle = append(w.settle, store.SettleRequest{Cause: cause, Groups: groups, Devices: devices, CreatedAt: w.now})
}

// Quiet says that nothing was changed that the trail should tell of.
func (w *Work) Quiet() { w.quiet = true }

// Also puts another entry on the trail, after that of the work itself.
func (w *Work) Also(act Act, outcome audit.Outcome, before, after any) {
	w.also = append(w.also, w.entry(act, outcome, before, after))
}

// Nested is work that is done as a part of this one, with an entry of its own on the trail. [Work.Join] adds what it
// gathered.
func (w *Work) Nested(act Act) *Work {
	return &Work{act: act, now: w.now, log: w.log, interval: w.interval}
}

// ReplaceBy makes of this work what a part of it came to.
func (w *Work) ReplaceBy(part *Work) {
	w.act, w.Before, w.After, w.quiet = part.act, part.Before, part.After, part.quiet
	w.notices, w.settle = append(w.notices, part.notices...), append(w.settle, part.settle...)
	w.also = append(w.also, part.also...)
}

// Settled are the groups and devices that are settled again after the work.
func (w *Work) Settled() (groups, devices []string) {
	for _, r := range w.settle {
		groups, devices = append(groups, r.Groups...), append(devices, r.Devices...)
	}
	return groups, devices
}

// Join adds a part that is done.
func (w *Work) Join(part *Work) {
	w.notices = append(w.notices, part.notices...)
	w.settle = append(w.settle, part.settle...)
	if !part.quiet && part.act.action != "" {
		w.also = append(w.also, w.entry(part.act, audit.Done, part.Before, part.After))
	}
	w.also = append(w.also, part.also...)
}

// write stores what the work gathered.
func (w *Work) write(tx Records) error {
	for _, r := range w.settle {
		if err := tx.RequestSettle(r); err != nil {
			return err
		}
	}
	for _, n := range w.notices {
		if err := tx.Notify(n); err != nil {
			return err
		}
	}
	entries := w.also
	if !w.quiet && w.act.action != "" {
		entries = append([]audit.Entry{w.entry(w.act, audit.Done, w.Before, w.After)}, entries...)
	}
	return tx.AppendAudit(entries...)
}

func (w *Work) entry(act Act, outcome audit.Outcome, before, after any) audit.Entry {
	raw := func(v any) json.RawMessage {
		if v == nil {
			return nil
		}
		data, err := json.Marshal(v)
		if err != nil {
			w.log.Error("an audit entry lost a value", "action", act.action, "error", err)
		}
		return data
	}
	return audit.Entry{At: w.now, Actor: act.who.Name, Address: act.who.Address, Action: act.action, Object: act.object,
		Before: raw(before), After: raw(after), Reason: act.reason, Outcome: outcome}
}
