package reporting

import (
	"context"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// What is known of a setting of a device over time, beside the states of findings.
const (
	HappenedFound  = "found"
	HappenedEvent  = "event"  // the device says so
	HappenedViewed = "viewed" // an operator saw a password of the device
)

// Happened is one thing that is known.
type Happened struct {
	At       time.Time
	What     string // one of the above, or the state that a finding was closed with
	Words    string
	Operator string // who saw a password; empty for others
}

// Bounds of a history.
const (
	historySpan = 30 * 24 * time.Hour
	historyMost = 200
)

// SettingHistory tells what happened to a setting of a device in the last 30 days, latest first: what was found and how
// it ended, what the device did about it, and who was at the device or saw a password of it. No system says who changed
// a setting; who was there is the best that is known.
func (s *Service) SettingHistory(ctx context.Context, who rights.Identity, device, setting string) ([]Happened, error) {
	id, err := present.ParseUnit(setting)
	if err != nil {
		return nil, refusal.New(refusal.Invalid, "%v", err).At("setting").Asked()
	}
	tx := s.Read(ctx)
	narrow, err := reach.Narrow(tx, s.View, s.Clock(), who,
		reach.Past{Device: device, Since: s.Now().Add(-historySpan)})
	if err != nil {
		return nil, err
	}
	page := store.Page{Limit: historyMost}
	findings, _, err := tx.ListFindings(store.FindingFilter{Narrow: narrow, Unit: id.String()}, page)
	if err != nil {
		return nil, err
	}
	events, _, err := tx.ListEvents(store.EventFilter{Narrow: narrow, Around: id.String()}, page)
	if err != nil {
		return nil, err
	}
	reveals, _, err := tx.ListReveals(narrow, page)
	if err != nil {
		return nil, err
	}
	list := []Happened{}
	for _, f := range findings {
		words := f.Words()
		if f.State != store.FindingCorrected { // that was found and put right in one go
			list = append(list, Happened{At: f.FirstSeen, What: HappenedFound, Words: words})
		}
		if f.ClosedAt != nil {
			list = append(list, Happened{At: *f.ClosedAt, What: f.State, Words: words})
		}
	}
	for _, e := range events {
		list = append(list, Happened{At: e.At, What: HappenedEvent, Words: EventWords(e)})
	}
	for _, r := range reveals {
		words := "saw the password of " + strings.TrimPrefix(r.Target, "account:")
		if r.Reason != "" {
			words += ": " + r.Reason
		}
		list = append(list, Happened{At: r.At, What: HappenedViewed, Words: words, Operator: r.Operator})
	}
	slices.SortStableFunc(list, func(a, b Happened) int { return b.At.Compare(a.At) })
	return list[:min(len(list), historyMost)], nil
}
