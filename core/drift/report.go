package drift

import (
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// ReportFormat is the format of every report.
const ReportFormat = "rankwarden.report/1"

// Stamp names one desired state of a device. Numbers count within an epoch, both from 1.
type Stamp struct {
	Epoch  int64  `json:"epoch"`
	Number int64  `json:"number"`
	Digest string `json:"digest"` // sha-256:HEX of the document's bytes
}

// Newer reports whether s comes after other.
func (s Stamp) Newer(other Stamp) bool {
	return s.Epoch > other.Epoch || s.Epoch == other.Epoch && s.Number > other.Number
}

// Foreign reports whether a device that holds s holds what it was never given: a later desired state than the
// latest given, or another document under the same number.
func (s Stamp) Foreign(given Stamp) bool {
	return s.Newer(given) ||
		s.Number > 0 && s.Epoch == given.Epoch && s.Number == given.Number && s.Digest != given.Digest
}

// Report is what a device effectively has.
type Report struct {
	Format  string    `json:"format"`
	Device  string    `json:"device"`
	Seq     int64     `json:"seq"`     // grows by at least one with every report
	At      time.Time `json:"at"`      // in service time
	Desired Stamp     `json:"desired"` // what it had finished applying when it read this back
	State
	Failures []Failure `json:"failures,omitempty"`
	// RepeatedlyReverted are the units that the device put right three times within a day: somebody or
	// something changes them back, and the device only tries now and then.
	RepeatedlyReverted []unit.ID `json:"repeatedly_reverted,omitempty"`
	// before applying; only the parts that differ from the last report
	Found *State `json:"found,omitempty"`
}

// State is what a device has, as read from its operating system. A nil part was not read.
type State struct {
	Platform    string            `json:"platform,omitempty"`
	OSVersion   string            `json:"os_version,omitempty"`
	OSBuild     int               `json:"os_build,omitempty"`
	Accounts    []Account         `json:"accounts,omitempty"`
	LocalGroups []LocalGroup      `json:"local_groups,omitempty"`
	Passwords   *Passwords        `json:"passwords,omitempty"`
	Lockout     *unit.LockoutRule `json:"lockout,omitempty"`
	Rotation    []Rotation        `json:"rotation,omitempty"`
	Unsupported []unit.ID         `json:"unsupported,omitempty"` // units this platform cannot carry
	Limits      []Limit           `json:"limits,omitempty"`      // what it could not carry, asked or not
	Agent       string            `json:"agent,omitempty"`       // version of the program that reports
	Uses        []Use             `json:"uses,omitempty"`        // of local accounts that are used
	Sudo        []Sudo            `json:"sudo,omitempty"`        // what sudoers allow
	// SignInFault is why the system lets nobody in, or anybody, with the file and the line at fault; empty where it
	// lets in whoever has the password.
	SignInFault string `json:"sign_in_fault,omitempty"`
	// Causes are why rules of the system come to what they do, with the file and the line, where that is another thing
	// than its files of settings say.
	Causes map[unit.ID]string `json:"causes,omitempty"`
	Usual  string             `json:"usual,omitempty"` // who uses the device: an identifier, or [UsualName] and a name
	// MoreAccounts and MoreMembers are how many more there are than the report has.
	MoreAccounts int `json:"more_accounts,omitempty"`
	MoreMembers  int `json:"more_members,omitempty"`
}

// UsualName begins the name of somebody of the directory whose identifier the device does not know; see [State.Usual].
const UsualName = "name:"

// Use is what a local account is used for.
type Use struct {
	SID        principal.SID `json:"sid"`
	LastSignIn *time.Time    `json:"last_sign_in,omitempty"` // the day of it; nil where the device knows of none
	// Runs are the services and scheduled tasks that run as the account, such as "service tide-sync".
	Runs []string `json:"runs,omitempty"`
	// Counted is since when the device counts the grace of an account that no policy names; nil where it does not.
	Counted *time.Time `json:"counted,omitempty"`
}

// RunsAs are the services and scheduled tasks that run as an account.
func (s *State) RunsAs(account principal.SID) []string {
	return s.use(account).Runs
}

// Sudo is what lines of sudoers(5) allow somebody.
type Sudo struct {
	Name     string        `json:"name"` // of an account, or of a local group after "%"
	SID      principal.SID `json:"sid"`
	Via      string        `json:"via"`      // the file, such as /etc/sudoers.d/tide
	Commands []string      `json:"commands"` // as sudoers(5) writes them
	Root     bool          `json:"root"`     // every command, as root
}

// Account is a local account.
type Account struct {
	Name    string        `json:"name"`
	SID     principal.SID `json:"sid"`
	Builtin string        `json:"builtin,omitempty"` // administrator or guest
	// SharedWith are other accounts that have the same number, which are one account to the system. None of them is
	// changed.
	SharedWith []string `json:"shared_with,omitempty"`
	// the device's own binding of a managed account to its identifier
	Key     string `json:"key,omitempty"`
	Enabled bool   `json:"enabled"`
	unit.Details
	PasswordSetAt time.Time `json:"password_set_at"`
	// PasswordStamp is another one whenever the password was set, whoever set it. It is opaque, since some systems know
	// no more than the day of a change, and stays on the device.
	PasswordStamp string     `json:"-"`
	Locked        bool       `json:"locked"`
	LockedUntil   *time.Time `json:"locked_until"` // nil while locked: until someone unlocks
}

// Rotation is when the password of an account was last changed, and where it is kept.
type Rotation struct {
	Target    principal.Ref `json:"target"`
	RotatedAt time.Time     `json:"rotated_at"`
	Deposit   string        `json:"deposit"` // EPOCH.NUMBER
	// Next is when it is due again, as the device knows it; nil where no rule asks for it any more.
	Next *time.Time `json:"next,omitempty"`
	// Elsewhere is true while the account has a password that somebody else set.
	Elsewhere bool `json:"changed_elsewhere,omitempty"`
}

// LocalGroup is a local group with its members.
type LocalGroup struct {
	LocalGroup string        `json:"local_group"`
	SID        principal.SID `json:"sid"`
	Members    []Member      `json:"members"`
	Made       bool          `json:"made,omitempty"` // the device made it, since a policy asked for it
	// NoEffect is why its members have none of its rights; empty where they have them.
	NoEffect string `json:"no_effect,omitempty"`
}

// Member is one member of a local group. Name may be empty where the device cannot resolve it.
type Member struct {
	Name string        `json:"name"`
	SID  principal.SID `json:"sid"`
	// Via is by what somebody has the rights of the group without being written into it, such as sudoers.d/dave.
	Via string `json:"via,omitempty"`
}

// Passwords are the password rules in force on the device; nil is not read.
type Passwords struct {
	MinLength  *int  `json:"min_length"`
	History    *int  `json:"history"`
	MaxAgeDays *int  `json:"max_age_days"`
	MinAgeDays *int  `json:"min_age_days"`
	Complexity *bool `json:"complexity"`
}

// Failure is a unit the device tried to bring into line and could not.
type Failure struct {
	Unit      unit.ID `json:"unit"`
	Principal string  `json:"principal,omitempty"`
	Error     string  `json:"error"`
}

// GuardError is the error of a [Failure] that the guard of a device is: what is desired would leave no usable
// administrator.
const GuardError = "would leave no usable administrator"

// Before is the state the device found before it applied anything, and false when that was what
// it had reported last.
func (r Report) Before() (State, bool) {
	if r.Found == nil {
		return State{}, false
	}
	before := r.State
	f := r.Found
	if f.Accounts != nil {
		before.Accounts = f.Accounts
	}
	if f.LocalGroups != nil {
		before.LocalGroups = f.LocalGroups
	}
	if f.Passwords != nil {
		before.Passwords = f.Passwords
	}
	if f.Lockout != nil {
		before.Lockout = f.Lockout
	}
	if f.Rotation != nil {
		before.Rotation = f.Rotation
	}
	return before, true
}
