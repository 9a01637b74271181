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

// Act is one thing that somebody does: who, with which right, and what the trail calls it.
type Act struct {
	Who rights.Identity
	// Right is what who needs; empty for what a device does, or the service by itself.
	Right rights.Right
	// Action is the name on the trail; empty for what leaves no entry, such as a report of a device.
	Action string
	Object string
	Reason string // in the operator's words, where the act needs one
	// Under names the change whose rollout does this; what that touches is kept from everybody else.
	Under string
	// Unseen has an attempt on a device that who may not see on the trail as well.
	Unseen bool
}

// Work is an act in its transaction. What it gathers is written at the end of the transaction.
type Work struct {
	Act
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

// Part is work that is done as a part of this one, with an entry of its own on the trail. [Work.Join] adds what it gathered.
func (w *Work) Part(act Act) *Work {
	return &Work{Act: act, now: w.now, log: w.log, interval: w.interval}
}

// Take makes of this work what a part of it came to.
func (w *Work) Take(part *Work) {
	w.Act, w.Before, w.After, w.quiet = part.Act, part.Before, part.After, part.quiet
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
	if !part.quiet && part.Action != "" {
		w.also = append(w.also, w.entry(part.Act, audit.Done, part.Before, part.After))
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
	if !w.quiet && w.Action != "" {
		entries = append([]audit.Entry{w.entry(w.Act, audit.Done, w.Before, w.After)}, entries...)
	}
	for _, e := range entries {
		if err := tx.AppendAudit(e); err != nil {
			return err
		}
	}
	return nil
}

func (w *Work) entry(act Act, outcome audit.Outcome, before, after any) audit.Entry {
	raw := func(v any) json.RawMessage {
		if v == nil {
			return nil
		}
		data, err := json.Marshal(v)
		if err != nil {
			w.log.Error("an audit entry lost a value", "action", act.Action, "error", err)
		}
		return data
	}
	return audit.Entry{At: w.now, Actor: act.Who.Name, Address: act.Who.Address, Action: act.Action, Object: act.Object,
		Before: raw(before), After: raw(after), Reason: act.Reason, Outcome: outcome}
}
