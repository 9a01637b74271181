package unit

import (
	"cmp"
	"encoding/json"
	"slices"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
)

// Style says what a secret is made of.
type Style string

// The styles of a secret.
const (
	Characters Style = "characters" // drawn one by one from classes of characters
	Words      Style = "words"      // capitalised words joined by hyphens
)

// Classes of characters, as they are written in a policy, in canonical order.
const (
	Lower   = "lower"
	Upper   = "upper"
	Digits  = "digits"
	Symbols = "symbols"
)

// AllClasses are the classes of characters in the order in which documents are written.
var AllClasses = []string{Lower, Upper, Digits, Symbols}

// Then says what follows a rotation that was due because somebody had signed in.
type Then string

// What may follow.
const (
	Nothing     Then = "nothing"
	EndSessions Then = "end-sessions"
	Restart     Then = "restart"
)

// Secret says how a password is made.
type Secret struct {
	Style           Style
	Length          int      // characters: 12 to 120
	Use             []string // characters: the classes
	AvoidLookalikes bool     // characters: leave out those that look alike
	Words           int      // words: 5 to 12
	Separator       string   // words: stands between them, one of [Separators]
}

// Separators may stand between words. No word of the list has one, and each counts as a symbol. The first is the usual
// one, and is not written.
var Separators = []string{"-", ".", "_", "+", "="}

// Joint is what stands between words.
func (s Secret) Joint() string { return cmp.Or(s.Separator, Separators[0]) }

// Bits is the strength of the secret, in bits.
func (s Secret) Bits() float64 {
	if s.Style == Words {
		return rotation.WordBits(s.Words)
	}
	return rotation.CharacterBits(s.Length, s.Use, s.AvoidLookalikes)
}

// ShortestLength is the least number of characters the secret can have.
func (s Secret) ShortestLength() int {
	if s.Style == Words {
		return s.Words*(rotation.ShortestWord+1) - 1
	}
	return s.Length
}

// TooPlain reports whether the secret may lack the three classes of characters that complexity asks
// for. Words have capitals, small letters and hyphens.
func (s Secret) TooPlain() bool { return s.Style == Characters && len(s.Use) < 3 }

// MarshalJSON writes only what belongs to the style.
func (s Secret) MarshalJSON() ([]byte, error) {
	if s.Style == Words {
		return json.Marshal(struct {
			Style     Style  `json:"style"`
			Words     int    `json:"words"`
			Separator string `json:"separator,omitempty"`
		}{s.Style, s.Words, strings.TrimPrefix(s.Separator, Separators[0])})
	}
	return json.Marshal(struct {
		Style           Style    `json:"style"`
		Length          int      `json:"length"`
		Use             []string `json:"use"`
		AvoidLookalikes bool     `json:"avoid_lookalikes"`
	}{s.Style, s.Length, s.Use, s.AvoidLookalikes})
}

// UnmarshalJSON reads what MarshalJSON writes. Its errors are those of [encoding/json].
func (s *Secret) UnmarshalJSON(data []byte) error {
	var raw struct {
		Style           Style    `json:"style"`
		Length          int      `json:"length"`
		Use             []string `json:"use"`
		AvoidLookalikes bool     `json:"avoid_lookalikes"`
		Words           int      `json:"words"`
		Separator       string   `json:"separator"`
	}
	if err := json.Unmarshal(data, &raw); err != nil {
		return err
	}
	*s = Secret(raw)
	return nil
}

// AfterUse says what follows a sign-in of the account.
type AfterUse struct {
	WaitMinutes int  `json:"wait_minutes"`
	Then        Then `json:"then"`
}

// RotationValue says how the password of one account changes, with every default filled in. Times are in minutes.
type RotationValue struct {
	Target             principal.Ref `json:"-"`
	EveryMinutes       int           `json:"every_minutes"`
	Secret             Secret        `json:"secret"`
	AfterUse           AfterUse      `json:"after_use"`
	AfterRevealMinutes *int          `json:"after_reveal_minutes"` // nil: not after a reveal
	RedrawName         bool          `json:"redraw_name"`
	Keep               int           `json:"keep"` // former passwords kept in escrow
}

// Equal implements [Value].
func (v RotationValue) Equal(other Value) bool {
	o, ok := other.(RotationValue)
	if !ok || v.EveryMinutes != o.EveryMinutes || v.AfterUse != o.AfterUse || v.RedrawName != o.RedrawName ||
		v.Keep != o.Keep {
		return false
	}
	if (v.AfterRevealMinutes == nil) != (o.AfterRevealMinutes == nil) ||
		v.AfterRevealMinutes != nil && *v.AfterRevealMinutes != *o.AfterRevealMinutes {
		return false
	}
	a, b := v.Secret, o.Secret
	if a.Style != b.Style || a.Style == Words {
		return a.Style == b.Style && a.Words == b.Words && a.Joint() == b.Joint()
	}
	return a.Length == b.Length && a.AvoidLookalikes == b.AvoidLookalikes && slices.Equal(a.Use, b.Use)
}

// RotationOf is the rotation of the password of a managed account, or of the built-in administrator; the zero
// ID for any other account.
func RotationOf(target principal.Ref) ID { return of(Rotation, target.String()) }

// Rotations are the rules for passwords among settings, by the account whose password they change.
func Rotations(settings []Setting) map[principal.Ref]RotationValue {
	rules := map[principal.Ref]RotationValue{}
	for _, s := range settings {
		if rule, ok := s.Value.(RotationValue); ok {
			target, _ := s.Unit.Target()
			rules[target] = rule
		}
	}
	return rules
}

const managed = "account:"

// Target is the account whose password a rotation changes.
func (u ID) Target() (target principal.Ref, ok bool) {
	if u.family != Rotation {
		return principal.Ref{}, false
	}
	if key, is := strings.CutPrefix(u.key(), managed); is {
		return principal.FromKey(key), true
	}
	return principal.Administrator, true
}

var rotations = family{
	name: "rotation",
	valid: func(key string) bool {
		of, is := strings.CutPrefix(key, managed)
		return key == principal.Administrator.String() || is && principal.ValidKey(of)
	},
	decode: func(id ID, data []byte) (Value, error) {
		v, err := decode(id, data, RotationValue{})
		v.Target, _ = id.Target()
		return v, err
	},
}
