package policy

import (
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Format is the first line of every policy document.
const Format = "rankwarden.policy/1"

// MaxSize is the largest document in bytes.
const MaxSize = 256 << 10

// Document is a policy as its author wrote it. Absent sections are nil.
type Document struct {
	Name       string
	Title      string
	Notes      string
	Accounts   []Account
	Rotation   []Rotation
	Membership []Membership
	Builtins   *Builtins
	Passwords  *Passwords
	Lockout    *Lockout
}

// Account is a local account that the policy owns.
type Account struct {
	Key             string   // how everything else refers to it
	Name            string   // a pattern: each # becomes a digit that the device draws
	Formerly        []string // patterns; an account of such a name is renamed and keeps its identity
	State           unit.State
	FullName        string
	Description     string
	LocalGroups     []string // known local groups, in canonical case
	PasswordExpires bool
}

// Rotation says how the password of one account changes.
type Rotation struct {
	Target      principal.Ref // an account: reference, or builtin:administrator
	Every       time.Duration // 1 hour to 400 days
	Secret      unit.Secret
	Wait        time.Duration // after a sign-in: 15 minutes to 72 hours
	Then        unit.Then
	AfterReveal *time.Duration // 1 to 72 hours after the password was shown; nil: not for that
	RedrawName  bool           // draw new digits for the # of the name at every rotation
	Keep        int            // former passwords kept in escrow, 1 to 24
}

// Membership states who is in one local group.
type Membership struct {
	LocalGroup string // in canonical case
	Custom     bool   // the group is none of the known ones, on purpose
	Mode       unit.Mode
	Members    []principal.Ref
	Remove     []principal.Ref // adjust only
}

// Builtins are the two accounts that every device has; nil is not asked for.
type Builtins struct {
	Administrator *Builtin
	Guest         *Builtin
}

// Builtin is what one built-in account is to be. A nil property is not asked for.
type Builtin struct {
	Name        *string
	Enabled     *bool
	FullName    *string
	Description *string
}

// Passwords are the rules for passwords of local accounts. A nil property is not asked for.
type Passwords struct {
	MinLength  *int  // characters, 0 to 128
	History    *int  // remembered passwords, 0 to 24
	MaxAgeDays *int  // 0 to 999; 0 means passwords never expire
	MinAgeDays *int  // 0 to 998
	Complexity *bool // three of the four classes of characters
}

// Lockout says when an account locks after wrong passwords. Durations are whole minutes.
type Lockout struct {
	Threshold int            // wrong attempts, 0 to 999; 0 means accounts never lock
	Duration  *time.Duration // 0 means until someone unlocks; default 15 minutes
	Window    *time.Duration // after which the counter starts anew; default the duration, or 15 minutes when that is 0
}

// Principals are all that the membership statements name, sorted, each once.
func (d *Document) Principals() []principal.Ref {
	var refs []principal.Ref
	for _, m := range d.Membership {
		refs = append(append(refs, m.Members...), m.Remove...)
	}
	return canonical(refs, nil)
}
