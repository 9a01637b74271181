package journal

import "rankwarden.example/core/principal"

// Made are the local groups that the device made since a policy asked for them, by the name that policies have for
// them.
type Made map[string]principal.SID

// Has reports whether a local group of a name and an identifier is one of them.
func (m Made) Has(name string, sid principal.SID) bool { return !sid.IsZero() && m[name] == sid }
