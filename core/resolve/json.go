package resolve

import (
	"encoding/json"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/unit"
)

// UnmarshalJSON reads a settled unit; the unit says what its values are. A value that is none of its unit is an error.
func (u *Unit) UnmarshalJSON(data []byte) error {
	var raw struct {
		Unit    unit.ID         `json:"unit"`
		Verdict Verdict         `json:"verdict"`
		Value   json.RawMessage `json:"value"`
		From    []string        `json:"from"`
		Over    []struct {
			Assignment string          `json:"assignment"`
			Rank       assign.Rank     `json:"rank"`
			Value      json.RawMessage `json:"value"`
			Why        Why             `json:"why"`
		} `json:"over"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	*u = Unit{Unit: raw.Unit, Verdict: raw.Verdict, From: raw.From, Over: []LosingClaim{}}
	var err error
	if string(raw.Value) != "null" {
		if u.Value, err = unit.Decode(raw.Unit, raw.Value); err != nil {
			return err
		}
	}
	for _, o := range raw.Over {
		claim, err := unit.DecodeClaim(raw.Unit, o.Value)
		if err != nil {
			return err
		}
		u.Over = append(u.Over, LosingClaim{o.Assignment, o.Rank, claim, o.Why})
	}
	return nil
}
