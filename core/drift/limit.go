package drift

import (
	"slices"

	"rankwarden.example/core/unit"
)

// Limit is a setting, or a whole family of them, that a device does not carry out. A device says its limits whatever is
// asked of it, so that they are known before anything is.
type Limit struct {
	Setting  unit.ID     `json:"unit,omitzero"`      // zero for all of the family
	Family   unit.Family `json:"family,omitzero"`    // of all its settings, where none is named
	Detail   string      `json:"detail,omitempty"`   // one of [unit.AccountDetails] of managed accounts; nothing else then
	ReadOnly bool        `json:"read_only,omitzero"` // it can be read and compared, but not set
	Most     *int        `json:"most,omitempty"`     // it is carried out up to this number, and no further
	Why      string      `json:"why"`                // continues a sentence that begins with "it", the device
}

// Of reports whether the limit is one of a setting.
func (l Limit) Of(id unit.ID) bool {
	return l.Detail == "" && (l.Setting == id || l.Setting.IsZero() && l.Family == id.Family())
}

// LimitOfDetail is the limit of a detail of managed accounts, if the device said one.
func (s *State) LimitOfDetail(name string) (Limit, bool) {
	i := slices.IndexFunc(s.Limits, func(l Limit) bool { return l.Detail == name })
	if i < 0 {
		return Limit{}, false
	}
	return s.Limits[i], true
}

// Within is a value as far as a device carries it out, and whether that is the whole of it.
func (l Limit) Within(v unit.Value) (unit.Value, bool) {
	if number, is := v.(unit.Int); is && l.Most != nil {
		return min(number, unit.Int(*l.Most)), int(number) <= *l.Most
	}
	return v, false
}

// LimitOf is the limit of a setting, if the device said one.
func (s *State) LimitOf(id unit.ID) (Limit, bool) {
	i := slices.IndexFunc(s.Limits, func(l Limit) bool { return l.Of(id) })
	if i < 0 {
		return Limit{}, false
	}
	return s.Limits[i], true
}

// Unable are the settings that a device would not carry out, by what it reported: those that it said of what was asked
// of it, and those that its limits name. What it can only read is no such setting while it is as desired. The result
// may be the state's own list; it is not to be changed.
func (s *State) Unable(settings []unit.Setting) []unit.ID {
	if len(s.Limits) == 0 {
		return s.Unsupported
	}
	ids := slices.Clone(s.Unsupported)
	for _, setting := range settings {
		limit, limited := s.LimitOf(setting.Unit)
		if !limited || limit.ReadOnly && s.is(setting) || slices.Contains(ids, setting.Unit) {
			continue
		}
		if _, whole := limit.Within(setting.Value); whole {
			continue
		}
		ids = append(ids, setting.Unit)
	}
	return ids
}

// is reports whether a simple setting is as desired.
func (s *State) is(setting unit.Setting) bool {
	value := s.Value(setting.Unit)
	return value != nil && value.Equal(setting.Value)
}
