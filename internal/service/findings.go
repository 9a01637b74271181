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
	finding := drift.Finding{Unit: unit, Kind: drift.Kind(f.Kind), Subject: f.Subject, Expected: stored(f, unit, f.Expected), Actual: stored(f, unit, f.Actual)}
	return words.Finding(finding)
}

// stored reads a stored value: a value of the unit, or a plain one.
func stored(f store.Finding, unit resolve.UnitID, value *string) any {
	if value == nil {
		return nil
	}
	if f.Kind == string(drift.WrongValue) {
		if v, err := resolve.DecodeValue(unit, []byte(*value)); err == nil {
			return v
		}
		return nil
	}
	var plain any
	if json.Unmarshal([]byte(*value), &plain) != nil {
		return nil
	}
	return plain
}
