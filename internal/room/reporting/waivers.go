package reporting

import (
	"context"
	"fmt"
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
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
func (s *Service) Waivers(
	ctx context.Context, who rights.Identity, f WaiverFilter, p store.Page,
) ([]store.Waiver, string, error) {
	states := []string{store.WaiverWaiting, store.WaiverActive, store.WaiverEnded}
	filter := store.WaiverFilter{Reach: who.Reach(rights.Look), State: f.State}
	switch f.State {
	case "", store.WaiverWaiting, store.WaiverActive, store.WaiverEnded:
	default:
		return nil, "", refusal.Unknown("state", f.State, states)
	}
	tx := s.Read(ctx)
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
const mostWaivers = 100

// waiversToDecide are those that wait for a second person, and those that are about to end, together by device.
func (s *Service) waiversToDecide(tx Reads, who rights.Identity) ([]Decision, error) {
	waiting, _, err := tx.ListWaivers(
		store.WaiverFilter{Reach: who.Reach(rights.Look), State: store.WaiverWaiting}, store.Page{Limit: mostWaivers},
	)
	if err != nil {
		return nil, err
	}
	ending, _, err := tx.ListWaivers(
		store.WaiverFilter{Reach: who.Reach(rights.Look), State: store.WaiverActive, Before: s.Now().Add(waiverSoon)},
		store.Page{Limit: mostWaivers},
	)
	list := decisionsOf(
		waiting,
		"a waiver waits for a second person",
		"waivers wait for a second person",
		func(w store.Waiver) string {
			return fmt.Sprintf("%s asks to accept until %s: %s. Why: %s", w.MadeBy, day(w.Until), w.Words, w.Reason)
		},
	)
	return append(
		list,
		decisionsOf(ending, "a waiver is about to end", "waivers are about to end", func(w store.Waiver) string {
			return fmt.Sprintf("accepted until %s: %s. Then the device acts on it again", day(w.Until), w.Words)
		})...), err
}

func day(t time.Time) string { return t.UTC().Format("2006-01-02 15:04 UTC") }

// decisionsOf are waivers as decisions, one for each device.
func decisionsOf(waivers []store.Waiver, one, several string, say func(w store.Waiver) string) []Decision {
	list := []Decision{}
	at := map[string]int{} // decisions by device
	count := map[string]int{}
	for _, w := range waivers {
		if count[w.DeviceID]++; count[w.DeviceID] > 1 {
			list[at[w.DeviceID]].Title = fmt.Sprintf("%d %s on %s", count[w.DeviceID], several, w.Device)
			continue
		}
		at[w.DeviceID] = len(list)
		list = append(list, Decision{
			Kind: DecideWaiver, Unit: w.Unit, Title: one + " on " + w.Device, Detail: say(w), Devices: 1,
			Device:   w.Device,
			DeviceID: w.DeviceID,
		})
	}
	return list
}
