package resolve

import (
	"encoding/json"

	"rankwarden.example/core/assign"
)

// UnmarshalJSON reads a setting; the unit says what its value is.
func (s *Setting) UnmarshalJSON(data []byte) error {
	var raw struct {
		Unit  UnitID          `json:"unit"`
		Value json.RawMessage `json:"value"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	value, err := DecodeValue(raw.Unit, raw.Value)
	if err == nil {
		*s = Setting{raw.Unit, value}
	}
	return err
}

// UnmarshalJSON reads a settled unit; the unit says what its values are.
func (u *Unit) UnmarshalJSON(data []byte) error {
	var raw struct {
		Unit    UnitID          `json:"unit"`
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
	*u = Unit{Unit: raw.Unit, Verdict: raw.Verdict, From: raw.From, Over: []Lost{}}
	var err error
	if string(raw.Value) != "null" {
		if u.Value, err = DecodeValue(raw.Unit, raw.Value); err != nil {
			return err
		}
	}
	for _, o := range raw.Over {
		claim, err := decodeClaim(raw.Unit, o.Value)
		if err != nil {
			return err
		}
		u.Over = append(u.Over, Lost{o.Assignment, o.Rank, claim, o.Why})
	}
	return nil
}
