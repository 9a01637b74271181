package service

import (
	"context"
	"encoding/json"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/words"
	"rankwarden.example/internal/store"
)

// Findings lists a page, newest first.
func (s *Service) Findings(ctx context.Context, f store.FindingFilter, p store.Page) ([]store.Finding, string, error) {
	return s.Store.With(ctx).ListFindings(f, p)
}

// SumFindings sums findings up by unit and kind.
func (s *Service) SumFindings(ctx context.Context, f store.FindingFilter) ([]store.FindingSum, error) {
	return s.Store.With(ctx).SumFindings(f)
}

// FindingWords says in one sentence what a stored finding is.
func FindingWords(f store.Finding) string {
	unit, err := resolve.ParseUnit(f.Unit)
	if err != nil {
		return f.Kind
	}
	finding := drift.Finding{Unit: unit, Kind: drift.Kind(f.Kind), Subject: f.Subject, Expected: valueOf(unit, f.Expected), Actual: valueOf(unit, f.Actual)}
	return words.Finding(finding)
}

// valueOf reads a stored value: a value of the unit, or plain words.
func valueOf(unit resolve.UnitID, stored *string) any {
	if stored == nil {
		return nil
	}
	var text string
	if json.Unmarshal([]byte(*stored), &text) == nil {
		return text
	}
	value, err := resolve.DecodeValue(unit, []byte(*stored))
	if err != nil {
		return nil
	}
	return value
}
