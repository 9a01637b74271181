// Package host is what the agent needs of an operating system. All logic lives above it; a host is
// thin. Every call acts on the real thing and every answer is read back from it.
package host

import (
	"context"
	"errors"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/wire/protocol"
)

// Host is one workstation's operating system.
type Host interface {
	// Limits are the settings that this platform cannot carry out, or can only read, and why. They are said before
	// anything is tried; what only shows when it is tried is [ErrUnsupported].
	Limits(ctx context.Context) ([]drift.Limit, error)
	// Facts are what the device knows of itself.
	Facts(ctx context.Context) (protocol.Facts, error)
	// Read reads accounts, local groups, password rules and lockout.
	Read(ctx context.Context) (drift.State, error)

	// CreateAccount makes a disabled account without a password that opens it.
	CreateAccount(ctx context.Context, name string) (principal.SID, error)
	// DeleteAccount removes an account, from its local groups too.
	DeleteAccount(ctx context.Context, account principal.SID) error
	// RenameAccount gives an account another name; it keeps its identifier.
	RenameAccount(ctx context.Context, account principal.SID, name string) error
	// EnableAccount enables or disables an account.
	EnableAccount(ctx context.Context, account principal.SID, enabled bool) error
	// DescribeAccount sets those of the details that are not as given, and writes nothing else.
	DescribeAccount(ctx context.Context, account principal.SID, details unit.Details) error
	// RequireChange has whoever uses an account change its password at the next sign-in.
	RequireChange(ctx context.Context, account principal.SID) error
	// SetPassword gives an account a new password, if the rules in force allow it.
	SetPassword(ctx context.Context, account principal.SID, password string) error
	// CheckPassword asks the operating system whether a password opens an account, enabled or not; nil
	// is yes. A wrong one counts towards the lockout where the platform cannot ask otherwise.
	CheckPassword(ctx context.Context, account principal.SID, password string) error
	// Unlock unlocks an account; one that is not locked stays as it is.
	Unlock(ctx context.Context, account principal.SID) error
	// EndSessions ends the sessions of whoever is signed in as the account.
	EndSessions(ctx context.Context, account principal.SID) error

	// SignIns are the sign-ins after the one with the given number, oldest first.
	SignIns(ctx context.Context, after int64) ([]SignIn, error)
	// Watch tells when somebody signs in or an account is locked; it may tell once for several.
	Watch() <-chan struct{}
	// Notify shows a message to whoever works there.
	Notify(ctx context.Context, message string) error
	// Restart restarts the device.
	Restart(ctx context.Context) error

	// SetPasswords sets the password rules that are not nil, all of them or none.
	SetPasswords(ctx context.Context, rules drift.Passwords) error
	// SetLockout sets the lockout; durations are in minutes.
	SetLockout(ctx context.Context, rule unit.LockoutRule) error
	// CreateGroup makes an empty local group.
	CreateGroup(ctx context.Context, name string) (principal.SID, error)
	// DeleteGroup removes a local group of which nobody is a member.
	DeleteGroup(ctx context.Context, group principal.SID) error
	// AddMember puts an identifier into a local group.
	AddMember(ctx context.Context, group, member principal.SID) error
	// RemoveMember takes an identifier out of a local group.
	RemoveMember(ctx context.Context, group, member principal.SID) error
}

// SignIn is one sign-in at the device. Numbers grow, and are never used twice.
type SignIn struct {
	Number  int64         `json:"number"`
	Account principal.SID `json:"account"`        // zero for one that is not there any more, or that the device does not know
	Name    string        `json:"name,omitempty"` // of somebody of a directory whose identifier the device does not know
	At      time.Time     `json:"at"`             // by the device's own clock
}

// TellsWhoIsThere is what a host implements that knows who is signed in.
type TellsWhoIsThere interface {
	// WhoIsThere gives the names of the accounts as which somebody is signed in, in any order.
	WhoIsThere(ctx context.Context) ([]string, error)
}

// TellsUse is what a host implements that knows for what accounts are used beside sign-ins.
type TellsUse interface {
	// Runs gives the services and scheduled tasks that run as local accounts, such as "service tide-sync".
	Runs(ctx context.Context) (map[principal.SID][]string, error)
	// Sudo gives what sudoers(5) allow; nil where the platform has none.
	Sudo(ctx context.Context) ([]drift.Sudo, error)
}

// TriesDoors is what a host implements that knows more of a way in than that there is an account with a password.
type TriesDoors interface {
	// LetsIn is nil when whoever has the password of an account of the administrators gets in with it and becomes one;
	// else it says why not.
	LetsIn(ctx context.Context, account principal.SID) error
}

// ClearsKeys is what a host implements that lets people in with keys beside passwords.
type ClearsKeys interface {
	// ClearKeys takes away every key that opens an account, and gives how many files had some.
	ClearKeys(ctx context.Context, account principal.SID) (files int, err error)
}

// GivesBack is what a host implements that changes files of the system.
type GivesBack interface {
	// GiveBack makes the system what it was before the agent, as far as nobody else changed it since, and says what it
	// could not.
	GiveBack(ctx context.Context) (left []string, err error)
}

// TakesSudoers is what a host implements where files of sudoers(5) make administrators.
type TakesSudoers interface {
	// TakeSudoers moves the file aside that gives somebody the rights of an administrator, and gives its name.
	TakeSudoers(ctx context.Context, member principal.SID) (file string, err error)
}

// ShowsHelp is what a host implements that tells whoever signs in what to do when locked out.
type ShowsHelp interface {
	// ShowHelp has the system say a text of the organisation; an empty one takes it away. What somebody else has it say
	// is left alone.
	ShowHelp(ctx context.Context, text string) error
}

// MovesFiles is what a host implements that has the files of accounts in one place.
type MovesFiles interface {
	// MoveFiles moves the files of an account into a directory of the day, such as 2027-03-31, which nobody but the
	// system's administrator reads. An account without files is none to move.
	MoveFiles(ctx context.Context, account principal.SID, day string) error
}

// KnowsDirectory is what a host implements that finds people of the directory by their names, and not by their
// identifiers.
type KnowsDirectory interface {
	// KnowDirectory tells which people and groups of the directory are named.
	KnowDirectory(entries []principal.Entry)
}

// RenamesUnused is what a host implements that cannot rename an account while somebody is signed in as it.
type RenamesUnused interface {
	InUse(ctx context.Context, account principal.SID) (bool, error)
}

// TellsNamed is what a host implements whose system lets people become administrators by a name alone.
type TellsNamed interface {
	// NamedIn are the files that give somebody of a name rights, such as "sudoers.d/wall".
	NamedIn(ctx context.Context, name string) ([]string, error)
}

// NamedIn is [TellsNamed.NamedIn] of any host, nothing where it has no such files.
func NamedIn(ctx context.Context, h Host, name string) ([]string, error) {
	if tells, ok := h.(TellsNamed); ok {
		return tells.NamedIn(ctx, name)
	}
	return nil, nil
}

// Errors of hosts.
var (
	// ErrName is matched when an account cannot have a name: the platform does not allow it, or another has it.
	ErrName = errors.New("this cannot be the account's name")
	// ErrNotEmpty is given for a local group that has members.
	ErrNotEmpty = errors.New("the local group has members")
	// ErrUnresolved is matched when the device does not know an identifier.
	ErrUnresolved = errors.New("the device cannot resolve this identifier")
	// ErrUnsupported is given for what the platform cannot carry.
	ErrUnsupported = errors.New("not supported on this platform")
	// ErrShuttingDown is given when the device goes down and does nothing more; whatever was begun may be half done.
	// The agent stops there, and finds out what became of it when it starts again.
	ErrShuttingDown = errors.New("the device is shutting down")
)
