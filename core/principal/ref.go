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
	Account Kind = iota + 1 // account:KEY, a local account that a policy manages
	Builtin                 // builtin:administrator or builtin:guest, found by well-known identifier
	User                    // user:NAME@DOMAIN, a person in the directory
	Group                   // group:NAME@DOMAIN, a group in the directory
	Local                   // local:NAME, an existing local account or group that no policy manages
	Bare                    // sid:S-1-…, a security identifier as it is
	Object                  // guid:…, an object of the directory
)

var kindWords = [...]string{
	Account: "account",
	Builtin: "builtin",
	User:    "user",
	Group:   "group",
	Local:   "local",
	Bare:    "sid",
	Object:  "guid",
}

func (k Kind) String() string { return kindWords[k] }

// InDirectory reports whether the directory is where such a principal is looked up.
func (k Kind) InDirectory() bool { return k == User || k == Group || k == Object }

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

// Parse reads a reference such as account:keeper, builtin:administrator, user:NAME@DOMAIN or
// sid:S-1-5-21-7-8-9-1104. The kind may be in either case; the value is put into canonical form.
// Its errors match [ErrRef] and say what to write instead.
func Parse(s string) (Ref, error) {
	word, value, found := strings.Cut(s, ":")
	if !found {
		return Ref{}, fmt.Errorf(
			"%w: %q has no kind; write account:, builtin:, user:, group:, local: or sid: before it",
			ErrRef,
			s,
		)
	}
	switch strings.ToLower(word) {
	case "account":
		if !ValidKey(text.Fold(value)) {
			return Ref{}, fmt.Errorf("%w: the key in %q can have %s", ErrRef, s, KeyRule)
		}
		return Ref{Account, text.Fold(value)}, nil
	case "builtin":
		ref := Ref{Builtin, text.Fold(value)}
		if ref != Administrator && ref != Guest {
			return Ref{}, fmt.Errorf(
				"%w: %q; the built-in accounts are builtin:administrator and builtin:guest",
				ErrRef,
				s,
			)
		}
		return ref, nil
	case "user":
		return parseDirectory(User, s, value)
	case "group":
		return parseDirectory(Group, s, value)
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
	case "guid":
		guid, err := ParseGUID(value)
		if err != nil {
			return Ref{}, fmt.Errorf("%w: %w", ErrRef, err)
		}
		return Ref{Object, guid.String()}, nil
	}
	return Ref{}, fmt.Errorf(
		"%w: %q is of no known kind; a principal begins with account, builtin, user, group, local or sid and a colon",
		ErrRef,
		s,
	)
}

// parseDirectory reads NAME@DOMAIN. The name may hold blanks, the domain is that of a DNS name.
func parseDirectory(kind Kind, written, value string) (Ref, error) {
	at := strings.LastIndexByte(value, '@')
	if at <= 0 || !validDomain(text.Fold(value[at+1:])) {
		return Ref{}, fmt.Errorf(
			"%w: %q must look like %s:NAME@DOMAIN, with a domain such as skerryline.example",
			ErrRef,
			written,
			kind,
		)
	}
	name := value[:at]
	if err := text.CheckVisible(name); err != nil {
		return Ref{}, fmt.Errorf("%w: the name in %q %w", ErrRef, written, err)
	}
	if err := text.CheckWords(value); err != nil {
		return Ref{}, fmt.Errorf("%w: the name in %q %w", ErrRef, written, err)
	}
	if strings.TrimSpace(name) != name || len(name) > MaxLocalName {
		return Ref{}, fmt.Errorf(
			"%w: the name in %q begins or ends with a blank, or is longer than %d bytes",
			ErrRef,
			written,
			MaxLocalName,
		)
	}
	return Ref{kind, text.Fold(value)}, nil
}

func validDomain(s string) bool {
	if len(s) == 0 || len(s) > 253 {
		return false
	}
	for label := range strings.SplitSeq(s, ".") {
		if len(label) == 0 || len(label) > 63 || strings.Trim(label, "-") != label {
			return false
		}
		for _, r := range label {
			if r < 0x80 && !strings.ContainsRune("abcdefghijklmnopqrstuvwxyz0123456789-_", r) {
				return false
			}
		}
	}
	return text.CheckVisible(s) == nil
}

// MaxLocalName is the longest name of a local group, in characters; local accounts stop at 20.
const MaxLocalName = 256

// KeyRule is the rule of [ValidKey] in words.
const KeyRule = "1 to 63 of the characters a-z, 0-9 and -, not beginning with -"

// ValidKey reports whether s can be the key of an account.
func ValidKey(s string) bool {
	if len(s) == 0 || len(s) > 63 || s[0] == '-' {
		return false
	}
	for i := range len(s) {
		c := s[i]
		if (c < 'a' || c > 'z') && (c < '0' || c > '9') && c != '-' {
			return false
		}
	}
	return true
}

// FromKey refers to the managed account with that key, which must be valid.
func FromKey(key string) Ref { return Ref{Account, key} }

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

// GUID is the identifier of a guid: reference, and zero for every other kind.
func (r Ref) GUID() GUID {
	if r.kind != Object {
		return GUID{}
	}
	guid, _ := ParseGUID(r.value)
	return guid
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
func Compare(a, b Ref) int {
	if a.kind == b.kind {
		return cmp.Compare(a.value, b.value)
	}
	return cmp.Compare(a.kind.String(), b.kind.String())
}

// MarshalText writes the canonical form.
func (r Ref) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads what [Parse] reads, with its errors.
func (r *Ref) UnmarshalText(b []byte) error {
	ref, err := Parse(string(b))
	if err == nil {
		*r = ref
	}
	return err
}
