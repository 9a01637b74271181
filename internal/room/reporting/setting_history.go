package reporting

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// What is known of a setting of a device over time, beside the states of findings.
const (
	HappenedFound   = "found"
	HappenedEvent   = "event"   // the device says so
	HappenedViewed  = "viewed"  // an operator saw a password of the device
	HappenedWarrant = "warrant" // somebody was given the rights of a local group for a time
)

// Happened is one thing that is known.
type Happened struct {
	At       time.Time
	What     string // one of the above, or the state that a finding was closed with
	Words    string
	Operator string // who saw a password, or asked for a warrant; empty for others
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
	given, err := s.warrantsGiven(tx, who, narrow, id.String())
	if err != nil {
		return nil, err
	}
	list = append(list, given...)
	slices.SortStableFunc(list, func(a, b Happened) int { return b.At.Compare(a.At) })
	return list[:min(len(list), historyMost)], nil
}

// warrantsGiven are the warrants for a local group of a device, with who asked and who agreed.
func (s *Service) warrantsGiven(
	tx Reads, who rights.Identity, narrow store.Narrow, setting string,
) (list []Happened, err error) {
	if len(narrow.Few) != 1 {
		return nil, nil // no device is meant that is there
	}
	all, _, err := tx.ListWarrants(store.WarrantFilter{Reach: who.Reach(rights.Look), Device: narrow.Few[0]},
		store.Page{Limit: historyMost})
	for _, w := range all {
		if w.Unit != setting || w.StartsAt == nil || w.DecidedAt == nil || w.DecidedAt.Before(narrow.Since) {
			continue
		}
		holder := w.Principal
		if ref, err := principal.Parse(holder); err == nil {
			holder = present.Principal(ref)
		}
		words := fmt.Sprintf("%s is a member for %s: %s", holder, present.Minutes(w.LastsSeconds/60), w.Reason)
		if w.DecidedBy != "" {
			words += "; " + w.DecidedBy + " agreed"
		}
		list = append(list, Happened{At: *w.DecidedAt, What: HappenedWarrant, Words: words, Operator: w.AskedBy})
	}
	return list, err
}
