package insight

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/reach"
	"rankwarden.example/internal/refusal"
	"rankwarden.example/internal/store"
)

// waiverSoon is how long before its day a waiver is about to end.
const waiverSoon = 7 * 24 * time.Hour

// WaiverFilter narrows a list of waivers. Empty fields do not.
type WaiverFilter struct {
	State  string
	Device string // identifier or name
	Ending bool   // only those that are about to end
}

// Waivers lists a page of those of devices in reach, the latest first.
func (s *Service) Waivers(ctx context.Context, who auth.Identity, f WaiverFilter, p store.Page) ([]store.Waiver, string, error) {
	states := []string{store.WaiverWaiting, store.WaiverActive, store.WaiverEnded}
	filter := store.WaiverFilter{Reach: who.Reach(auth.Look), State: f.State}
	switch f.State {
	case "", store.WaiverWaiting, store.WaiverActive, store.WaiverEnded:
	default:
		return nil, "", refusal.Unknown("state", f.State, states)
	}
	tx := s.DB.With(ctx)
	if f.Device != "" {
		d, err := reach.Visible(tx, s.Clock(), who, f.Device)
		if err != nil {
			return nil, "", err
		}
		filter.Device = d.ID
	}
	if f.Ending {
		filter.Before = s.Now().Add(waiverSoon)
	}
	return tx.ListWaivers(filter, p)
}

// mostWaivers is how many waivers are told among the decisions.
const mostWaivers = 20

// waiversToDecide are those that wait for a second person, and those that are about to end.
func (s *Service) waiversToDecide(tx Records, reach auth.Reach) ([]Decision, error) {
	var list []Decision
	for _, q := range []struct {
		filter store.WaiverFilter
		say    func(w store.Waiver) Decision
	}{
		{
			store.WaiverFilter{Reach: reach, State: store.WaiverWaiting},
			func(w store.Waiver) Decision {
				return Decision{
					Title:  "a waiver waits for a second person",
					Detail: fmt.Sprintf("%s asks to accept on %s: %s. Why: %s", w.MadeBy, w.Device, w.Words, w.Reason),
				}
			},
		},
		{
			store.WaiverFilter{Reach: reach, State: store.WaiverActive, Before: s.Now().Add(waiverSoon)},
			func(w store.Waiver) Decision {
				return Decision{
					Title: "a waiver is about to end",
					Detail: fmt.Sprintf("on %s %s is accepted until %s; then the device acts on it again", w.Device, w.Words,
						w.Until.UTC().Format("2006-01-02 15:04 UTC")),
				}
			},
		},
	} {
		found, _, err := tx.ListWaivers(q.filter, store.Page{Limit: mostWaivers})
		if err != nil {
			return nil, err
		}
		for _, w := range found {
			d := q.say(w)
			d.Kind, d.Unit, d.Devices, d.Device, d.DeviceID = DecideWaiver, w.Unit, 1, w.Device, w.DeviceID
			list = append(list, d)
		}
	}
	return list, nil
}
