package effect

import (
	"encoding/json"

	"rankwarden.example/core/unit"
)

// SettingChange is a setting whose desired value differs between the two futures; nil where nothing is desired.
type SettingChange struct {
	Unit      unit.ID    `json:"unit"`
	Before    unit.Value `json:"before"`
	After     unit.Value `json:"after"`
	Supported bool       `json:"supported"` // false when the device cannot have it
}

// Affected is what a change would do to one device.
type Affected struct {
	Device   string          `json:"device"`
	Reported bool            `json:"reported"` // false: what it has is not known
	Settings []SettingChange `json:"settings"` // by unit
	Effects  []Effect        `json:"effects"`  // by unit, effect and subject
}

// Any reports whether the device is affected.
func (a Affected) Any() bool { return len(a.Settings) > 0 || len(a.Effects) > 0 }

// MarshalJSON writes empty lists where there is nothing.
func (a Affected) MarshalJSON() ([]byte, error) {
	type plain Affected
	if a.Settings == nil {
		a.Settings = []SettingChange{}
	}
	if a.Effects == nil {
		a.Effects = []Effect{}
	}
	return json.Marshal(plain(a))
}
