package notify

import (
	"context"
	"encoding/json"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

const (
	// announceBatch is how many records are read at once.
	announceBatch = 500
	// announcePause is the least time between two readings: a large fleet reports all the time.
	announcePause = 500 * time.Millisecond
	// standingsEvery is how often standings are compared, which goes through the whole fleet.
	standingsEvery = 3 * time.Second
)

// AnnounceLoop finds what is new until the context ends. Any number of replicas may run it.
func (s *Service) AnnounceLoop(ctx context.Context) {
	const every = 2 * time.Second // what has no notice of its own, such as silence
	if s.View.Loaded(ctx) != nil {
		return
	}
	news := s.Hub.Subscribe(store.TopicReports, store.TopicEdits, store.TopicRollouts, store.TopicSettle)
	defer news.Close()
	for {
		if err := s.Announce(ctx); err != nil && ctx.Err() == nil {
			s.Log.Error("what is new could not be read for notifications; it will be tried again", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-news.Ready:
			news.Drain()
		case <-time.After(every):
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(announcePause):
		}
	}
}

// Announce has everything that is new delivered to the targets that want it, unless another replica is at it.
func (s *Service) Announce(ctx context.Context) error {
	_, err := s.Locks.Exclusively(ctx, store.LockNotify, func(ctx context.Context) error {
		for {
			more := false
			err := s.Do(ctx, uow.Upkeep(), func(tx Records, w *uow.Work) error {
				targets, err := tx.EnabledTargets()
				if err != nil {
					return err
				}
				n := &news{s: s, tx: tx, targets: targets}
				for _, find := range []func() (full bool, err error){n.trail, n.findings, n.standings, n.unspread} {
					full, err := find()
					if err != nil {
						return err
					}
					more = more || full
				}
				if n.delivers {
					w.Tell(store.TopicDeliveries)
				}
				return nil
			})
			if err != nil || !more {
				return err
			}
		}
	})
	return err
}

// news is one reading of what is new.
type news struct {
	s        *Service
	tx       Records
	targets  []store.NotificationTarget
	delivers bool
}

// add has a notification delivered to the targets that want it.
func (n *news) add(x store.Notification, stored bool) error {
	var to []string
	for _, t := range n.targets {
		if wants(t, x.Kind) && n.reaches(t, x.DeviceID) {
			to = append(to, t.ID)
		}
	}
	if len(to) == 0 {
		return nil
	}
	if !stored {
		x.ID, x.Spread = store.NewID(n.s.Now()), true
		if err := n.tx.AddNotification(x); err != nil {
			return err
		}
	}
	n.delivers = true
	return n.tx.AddDeliveries(x.ID, to, n.s.Now())
}

// reaches reports whether a target is for a device; what is about no device is for every target.
func (n *news) reaches(t store.NotificationTarget, device string) bool {
	return device == "" || len(t.Groups) == 0 || n.s.View.Has(rights.ReachOver(t.Groups...), device)
}

// wanted reports whether any target wants a kind.
func (n *news) wanted(kind Kind) bool {
	return slices.ContainsFunc(n.targets, func(t store.NotificationTarget) bool { return wants(t, kind) })
}

// trail reads the entries behind the last one that was looked at.
func (n *news) trail() (full bool, err error) {
	last, err := n.tx.NotifiedTo()
	if err != nil {
		return false, err
	}
	list, err := n.tx.TrailAfter(last, store.TrailFilter{}, announceBatch)
	if err != nil || len(list) == 0 {
		return false, err
	}
	for _, e := range list {
		for _, kind := range kindsOf(e) {
			if !n.wanted(kind) {
				continue
			}
			if err := n.add(n.ofEntry(kind, e), false); err != nil {
				return false, err
			}
		}
	}
	return len(list) == announceBatch, n.tx.SetNotifiedTo(list[len(list)-1].Seq)
}

// ofEntry tells of an entry of the trail. Devices are there by identifier; people know their names.
func (n *news) ofEntry(kind Kind, e audit.Entry) store.Notification {
	device, subject := n.s.View.Known(e.Object)
	if device == "" {
		subject = e.Object
	}
	who := e.Actor
	if id, is := strings.CutPrefix(e.Actor, uow.DeviceActor); is {
		if _, name := n.s.View.Known(id); name != "" {
			who = name
		}
	}
	return store.Notification{Kind: kind, Subject: subject, DeviceID: device, Words: entryWords(kind, e, who, subject),
		Path:   "/trail?entry=" + strconv.FormatInt(e.Seq, 10),
		Urgent: urgent[kind], At: e.At, Data: jsonOf(map[string]any{
			"entry": e.Seq, "who": e.Actor, "from": e.Address, "action": e.Action, "on": e.Object, "outcome": e.Outcome,
			"reason": e.Reason, "before": e.Before, "after": e.After,
		})}
}

// findings reads those whose state was not told.
func (n *news) findings() (full bool, err error) {
	list, err := n.tx.UntoldFindings(announceBatch)
	if err != nil || len(list) == 0 {
		return false, err
	}
	kinds := map[string]Kind{
		store.FindingOpen: FindingOpened, store.FindingCorrected: FindingCorrected, store.FindingClosed: FindingClosed,
	}
	for _, f := range list {
		kind, tells := kinds[f.State]
		if !tells || f.Kind == string(drift.UnitUnsupported) || !n.wanted(kind) {
			continue
		}
		at := f.LastSeen
		if f.ClosedAt != nil {
			at = *f.ClosedAt
		}
		if err := n.add(store.Notification{Kind: kind, Subject: f.Device, DeviceID: f.DeviceID, Path: pathOf(f.Device),
			At:    at,
			Words: findingWords(kind, f), Data: jsonOf(map[string]any{
				"device": f.Device, "device_id": f.DeviceID, "finding": f.ID, "setting": f.Unit, "kind": f.Kind,
				"subject": f.Subject,
				"state":   f.State, "assignments": f.Assignments, "first_seen": f.FirstSeen.UTC(),
			})}, false); err != nil {
			return false, err
		}
	}
	return len(list) == announceBatch, n.tx.ToldFindings(list)
}

// standings compares which devices are held and silent with those that were told of.
func (n *news) standings() (full bool, err error) {
	clock := n.s.Clock()
	if last := time.Unix(0, n.s.compared.Load()); clock.Now.Sub(last).Abs() < standingsEvery {
		return false, nil
	}
	n.s.compared.Store(clock.Now.UnixNano())
	list, err := n.tx.ToldStandings()
	if err != nil {
		return false, err
	}
	told := make(map[store.Told]bool, len(list)) // whether it is still so
	for _, x := range list {
		told[x] = false
	}
	silence := clock.Silent()
	listening := n.s.Since.Before(silence)
	var now []store.Told
	var fresh []store.Notification
	is := func(kind Kind, standing drift.Standing, d *fleetview.Device) {
		x := store.Told{DeviceID: d.ID, Standing: string(standing)}
		if _, was := told[x]; was {
			told[x] = true
			return
		}
		if now = append(now, x); n.wanted(kind) {
			fresh = append(fresh, store.Notification{Kind: kind, Subject: d.Name, DeviceID: d.ID, Path: pathOf(d.Name),
				At:    clock.Now,
				Words: standingWords(kind, d), Data: jsonOf(standingData(standing, d))})
		}
	}
	n.s.View.Each(clock, fleetview.Filter{Reach: uow.Itself.Reach(rights.Look)},
		func(d *fleetview.Device, _ drift.Standing) bool {
			if d.StandingInput.HeldUnits > 0 {
				is(DeviceHeld, drift.Held, d)
			}
			x := store.Told{DeviceID: d.ID, Standing: string(drift.Silent)}
			// While nothing can be said of silence, whoever was told of as silent stays so.
			if _, was := told[x]; was && silence.IsZero() || d.StandingInput.LastContact.Before(silence) &&
				(listening || was) {
				is(DeviceSilent, drift.Silent, d)
			}
			return true
		})
	for _, x := range fresh { // the view is free again
		if err := n.add(x, false); err != nil {
			return false, err
		}
	}
	var gone []store.Told
	for x, still := range told {
		if !still {
			gone = append(gone, x)
		}
	}
	if len(now) == 0 && len(gone) == 0 {
		return false, nil
	}
	return false, n.tx.TellStandings(now, gone)
}

func standingData(standing drift.Standing, d *fleetview.Device) map[string]any {
	settings := []string{}
	for _, h := range d.Held {
		settings = append(settings, h.Unit.String())
	}
	data := map[string]any{"device": d.Name, "device_id": d.ID, "standing": standing, "settings": settings}
	if at := d.StandingInput.LastContact; !at.IsZero() {
		data["last_contact"] = at.UTC()
	}
	return data
}

// unspread makes the deliveries of what was written without them.
func (n *news) unspread() (full bool, err error) {
	list, err := n.tx.UnspreadNotifications(announceBatch)
	if err != nil {
		return false, err
	}
	for _, x := range list {
		if err := n.add(x, true); err != nil {
			return false, err
		}
		if err := n.tx.SpreadNotification(x.ID); err != nil {
			return false, err
		}
	}
	return len(list) == announceBatch, nil
}

func pathOf(device string) string { return "/devices/" + url.PathEscape(device) }

func jsonOf(value any) string {
	data, err := json.Marshal(value)
	if err != nil {
		return "{}" // only plain values are given
	}
	return string(data)
}
