package unit

import (
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// GroupAdministrators is the local group whose members may do everything.
const GroupAdministrators = "administrators"

// Administrators is the setting of that group.
var Administrators = named(Membership, GroupAdministrators)

// KnownLocalGroups are the local groups every device knows by a well-known identifier, so that a
// device in any language of its operating system is served. Values are the identifiers' last part
// under S-1-5-32 ([MS-DTYP] 2.4.2.4).
var KnownLocalGroups = map[string]uint32{
	GroupAdministrators: 544, "users": 545, "guests": 546, "power-users": 547, "backup-operators": 551,
	"remote-desktop-users": 555, "network-configuration-operators": 556, "performance-log-users": 559,
	"event-log-readers": 573, "hyper-v-administrators": 578, "remote-management-users": 580, "device-owners": 583,
}

// Mode says what a membership statement does with members it does not name.
type Mode string

// The modes of a membership statement.
const (
	Exact  Mode = "exact"  // these and nobody else
	Adjust Mode = "adjust" // these in, those out, the rest alone
)

// Statement is a claim on a local group. Lists are sorted and never nil.
type Statement struct {
	Mode    Mode            `json:"mode"`
	Members []principal.Ref `json:"members"`
	Remove  []principal.Ref `json:"remove"`
	Create  bool            `json:"create,omitempty"` // the group is made where it is missing
	// Strict has files of sudoers(5) moved aside that make others administrators.
	Strict bool `json:"strict_sudoers,omitempty"`
}

// Equal implements [Value].
func (v Statement) Equal(other Value) bool {
	o, ok := other.(Statement)
	return ok && v.Mode == o.Mode && slices.Equal(v.Members, o.Members) && slices.Equal(v.Remove, o.Remove) &&
		v.Create == o.Create && v.Strict == o.Strict
}

// Members is a settled local group. In a closed group nobody but the present principals may be a
// member, and Absent is empty. Lists are sorted and never nil.
type Members struct {
	Closed  bool            `json:"closed"`
	Present []principal.Ref `json:"present"`
	Absent  []principal.Ref `json:"absent"`
	Create  bool            `json:"create,omitempty"` // the group is made where it is missing
	// Strict has files of sudoers(5) moved aside that make others administrators.
	Strict bool `json:"strict_sudoers,omitempty"`
}

// Equal implements [Value].
func (v Members) Equal(other Value) bool {
	o, ok := other.(Members)
	return ok && v.Closed == o.Closed && slices.Equal(v.Present, o.Present) && slices.Equal(v.Absent, o.Absent) &&
		v.Create == o.Create && v.Strict == o.Strict
}

// Has reports whether the principal is to be a member.
func (v Members) Has(ref principal.Ref) bool {
	_, found := slices.BinarySearchFunc(v.Present, ref, principal.Compare)
	return found
}

// MembershipOf is the setting of a local group, named in canonical case; the zero ID when that cannot be a name.
func MembershipOf(localGroup string) ID { return of(Membership, localGroup) }

// LocalGroup is the group of a membership setting.
func (u ID) LocalGroup() (name string, ok bool) { return u.key(), u.family == Membership }

var membership = family{
	name:  "membership",
	valid: func(key string) bool { return key != "" && text.CheckVisible(key) == nil },
	decode: func(id ID, data []byte) (Value, error) {
		return decode(id, data, Members{Present: []principal.Ref{}, Absent: []principal.Ref{}})
	},
	claim: func(id ID, data []byte) (Value, error) {
		return decode(id, data, Statement{Members: []principal.Ref{}, Remove: []principal.Ref{}})
	},
}

// Named are the people and groups of the directory that settings name, each once, in order.
func Named(settings []Setting) []principal.Ref {
	var refs []principal.Ref
	for _, s := range settings {
		if m, ok := s.Value.(Members); ok {
			for _, ref := range slices.Concat(m.Present, m.Absent) {
				if ref.Kind().InDirectory() {
					refs = append(refs, ref)
				}
			}
		}
	}
	slices.SortFunc(refs, principal.Compare)
	return slices.Compact(refs)
}
