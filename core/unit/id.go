package unit

import (
	"cmp"
	"errors"
	"fmt"
	"strings"
	"unique"
)

// ID names a setting, such as passwords.min_length, accounts.desk-keeper or membership.administrators. It is
// comparable. The zero ID is invalid; what cannot be a setting cannot be built otherwise.
type ID struct {
	family Family
	name   unique.Handle[string] // the key within the family; empty for the only one of its family
}

// named is a setting that is known to exist.
func named(f Family, key string) ID { return ID{f, unique.Make(key)} }

func (u ID) key() string {
	if u.family == 0 {
		return ""
	}
	return u.name.Value()
}

// Family is the section of a policy that a setting belongs to. The zero Family is that of the zero [ID].
type Family uint8

// The families, in the order of their names.
const (
	Accounts Family = iota + 1
	Builtins
	Identity
	Locking
	Membership
	Passwords
	Rotation
)

// family is what the catalogue knows of one.
type family struct {
	name   string
	valid  func(key string) bool                   // whether it has a setting of this key
	decode func(id ID, data []byte) (Value, error) // reads a settled value
	// reads what an assignment claims; nil when that is a value
	claim func(id ID, data []byte) (Value, error)
	order func(id ID, a, b Value) (order int, comparable bool) // positive when a is stricter; nil when nothing is
}

// catalogue has every family. It is filled when the program starts, and never changes.
var catalogue [Rotation + 1]family

func init() {
	catalogue = [...]family{
		Accounts: accounts, Builtins: builtins, Identity: identity, Locking: lockout, Membership: membership,
		Passwords: passwords, Rotation: rotations,
	}
}

func (f Family) String() string { return catalogue[f].name }

// MarshalText writes the name.
func (f Family) MarshalText() ([]byte, error) { return []byte(f.String()), nil }

// UnmarshalText reads what MarshalText writes. Its errors match [ErrUnknown].
func (f *Family) UnmarshalText(b []byte) error {
	for i, known := range catalogue {
		if i > 0 && known.name == string(b) {
			*f = Family(i)
			return nil
		}
	}
	return fmt.Errorf("%w section %q", ErrUnknown, b)
}

// of is the setting of a family with a key, the zero ID when there is none.
func of(f Family, key string) ID {
	if !catalogue[f].valid(key) {
		return ID{}
	}
	return named(f, key)
}

// Family is the section that the setting belongs to.
func (u ID) Family() Family { return u.family }

// IsZero reports whether u is the zero ID, which is no setting.
func (u ID) IsZero() bool { return u == ID{} }

func (u ID) String() string {
	if key := u.key(); key != "" {
		return u.family.String() + "." + key
	}
	return u.family.String()
}

// Compare orders settings by the bytes of their names.
func (u ID) Compare(other ID) int {
	return cmp.Or(cmp.Compare(u.family, other.family), strings.Compare(u.key(), other.key()))
}

// ErrUnknown is matched by the errors for a setting that does not exist.
var ErrUnknown = errors.New("unknown setting")

// Parse reads the name of a setting. Its errors match [ErrUnknown].
func Parse(s string) (ID, error) {
	name, key, _ := strings.Cut(s, ".")
	for f, known := range catalogue {
		if known.name == name && known.valid != nil {
			if id := of(Family(f), key); id.String() == s && !id.IsZero() {
				return id, nil
			}
		}
	}
	return ID{}, fmt.Errorf("%w %q", ErrUnknown, s)
}

// MarshalText writes the name.
func (u ID) MarshalText() ([]byte, error) { return []byte(u.String()), nil }

// UnmarshalText reads what [Parse] reads, with its errors.
func (u *ID) UnmarshalText(b []byte) error {
	id, err := Parse(string(b))
	if err == nil {
		*u = id
	}
	return err
}
