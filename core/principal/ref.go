package principal

import (
	"cmp"
	"errors"
	"fmt"
	"strings"

	"rankwarden.example/core/text"
)

// Kind says how a reference finds its principal. The zero Kind is invalid.
type Kind uint8

// The kinds of reference.
const (
	Builtin Kind = iota + 1 // builtin:administrator or builtin:guest, found by well-known identifier
	Local                   // local:NAME, an existing local account or group that no policy manages
	Bare                    // sid:S-1-…, a security identifier as it is
)

var kindWords = map[Kind]string{Builtin: "builtin", Local: "local", Bare: "sid"}

func (k Kind) String() string { return kindWords[k] }

// Ref is a reference to one principal, in canonical form: lower case, but upper case after sid:.
type Ref struct {
	kind  Kind
	value string
}

// ErrRef is matched by every error of [Parse].
var ErrRef = errors.New("not a principal")

// The built-in accounts. They keep their identifiers when they are renamed.
var (
	Administrator = Ref{Builtin, "administrator"}
	Guest         = Ref{Builtin, "guest"}
)

// Parse reads a reference such as builtin:administrator, local:keeper or sid:S-1-5-21-7-8-9-1104.
// The kind may be in either case; the value is put into canonical form.
func Parse(s string) (Ref, error) {
	word, value, found := strings.Cut(s, ":")
	if !found {
		return Ref{}, fmt.Errorf("%w: %q has no kind; write builtin:%[2]s, local:%[2]s or a sid: reference", ErrRef, s)
	}
	switch strings.ToLower(word) {
	case "builtin":
		ref := Ref{Builtin, text.Fold(value)}
		if ref != Administrator && ref != Guest {
			return Ref{}, fmt.Errorf("%w: %q; the built-in accounts are builtin:administrator and builtin:guest", ErrRef, s)
		}
		return ref, nil
	case "local":
		if err := text.CheckName(value, MaxLocalName); err != nil {
			return Ref{}, fmt.Errorf("%w: the name in %q %w", ErrRef, s, err)
		}
		return Ref{Local, text.Fold(value)}, nil
	case "sid":
		sid, err := ParseSID(value)
		if err != nil {
			return Ref{}, fmt.Errorf("%w: %w", ErrRef, err)
		}
		return Ref{Bare, sid.String()}, nil
	}
	return Ref{}, fmt.Errorf("%w: %q is of no known kind; a principal begins with builtin, local or sid and a colon", ErrRef, s)
}

// MaxLocalName is the longest name of a local group, in characters; local accounts stop at 20.
const MaxLocalName = 256

// FromLocal refers to the local account or group of that name, which came from a device.
func FromLocal(name string) Ref { return Ref{Local, text.Fold(name)} }

// FromSID refers to a bare identifier.
func FromSID(sid SID) Ref { return Ref{Bare, sid.String()} }

// MustParse is [Parse] for constants; it panics on a malformed reference.
func MustParse(s string) Ref {
	ref, err := Parse(s)
	if err != nil {
		panic(err)
	}
	return ref
}

// Kind says how the principal is found.
func (r Ref) Kind() Kind { return r.kind }

// Value is what follows the colon.
func (r Ref) Value() string { return r.value }

// SID is the identifier of a sid: reference, and zero for every other kind.
func (r Ref) SID() SID {
	if r.kind != Bare {
		return SID{}
	}
	return SID{r.value}
}

// IsZero reports whether r was never set.
func (r Ref) IsZero() bool { return r == Ref{} }

func (r Ref) String() string {
	if r.IsZero() {
		return ""
	}
	return r.kind.String() + ":" + r.value
}

// Compare orders references by the bytes of their written form.
func Compare(a, b Ref) int { return cmp.Compare(a.String(), b.String()) }

// MarshalText writes the canonical form.
func (r Ref) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads what [Parse] reads.
func (r *Ref) UnmarshalText(b []byte) error {
	ref, err := Parse(string(b))
	if err == nil {
		*r = ref
	}
	return err
}
