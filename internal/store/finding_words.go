package store

import (
	"encoding/json"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
)

// Words says in one sentence what a stored finding is.
func (f Finding) Words() string {
	found, known := f.found()
	if !known {
		return f.Kind
	}
	return present.Finding(found)
}

// Drifts reports whether the finding makes its device drifted while it is open.
func (f Finding) Drifts() bool {
	found, known := f.found()
	return known && found.Drifts()
}

// found is the finding as it was worked out; known is false for one of a setting that there is no more.
func (f Finding) found() (found drift.Finding, known bool) {
	id, err := unit.Parse(f.Unit)
	if err != nil {
		return found, false
	}
	return drift.Finding{
		Unit:     id,
		Kind:     drift.Kind(f.Kind),
		Subject:  f.Subject,
		Expected: f.value(id, f.Expected),
		Actual:   f.value(id, f.Actual),
		Via:      f.Via,
	}, true
}

// value reads a stored value: a value of the unit, or a plain one.
func (f Finding) value(id unit.ID, stored *string) any {
	if stored == nil {
		return nil
	}
	if f.Kind == string(drift.WrongValue) {
		if v, err := unit.Decode(id, []byte(*stored)); err == nil {
			return v
		}
		return nil
	}
	var plain any
	if json.Unmarshal([]byte(*stored), &plain) != nil {
		return nil
	}
	return plain
}
