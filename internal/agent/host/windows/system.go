package windows

import "rankwarden.example/core/principal"

// System is what the host needs of Windows. Each method is one documented function of it, or a few that belong
// together, on the machine that the agent runs on; each gives the documented error as a [Code]. All may be called at
// once.
type System interface {
	// Machine is RtlGetVersion, GetComputerNameEx, GetSystemFirmwareTable and NetUserModalsGet at level 2.
	Machine() (Machine, error)

	// Users is NetUserEnum at level 3, of the accounts that people and programs sign in with.
	Users() ([]User, error)
	// AddUser is NetUserAdd at level 1.
	AddUser(name, password string, flags uint32) error
	// DeleteUser is NetUserDel.
	DeleteUser(name string) error
	// The others are NetUserSetInfo at levels 0, 1003, 1008, 1011, 1007 and 1017.
	// ExpirePassword is NetUserSetInfo at level 3, of what NetUserGetInfo gives there.
	RenameUser(name, next string) error
	SetUserPassword(name, password string) error
	SetUserFlags(name string, flags uint32) error
	SetUserFullName(name, fullName string) error
	SetUserComment(name, comment string) error
	SetUserExpires(name string, expires uint32) error
	ExpirePassword(name string) error

	// Services is EnumServicesStatusEx with QueryServiceConfig, Tasks is what the system's tool for scheduled tasks
	// writes; see schtasks.
	Services() ([]Runs, error)
	Tasks() ([]Runs, error)

	// Groups is NetLocalGroupEnum at level 0.
	Groups() ([]string, error)
	// AddGroup is NetLocalGroupAdd at level 0, DeleteGroup is NetLocalGroupDel.
	AddGroup(name string) error
	DeleteGroup(name string) error
	// Members is NetLocalGroupGetMembers at level 2.
	Members(group string) ([]Member, error)
	// AddMember and RemoveMember are NetLocalGroupAddMembers and NetLocalGroupDelMembers at level 0.
	AddMember(group string, member principal.SID) error
	RemoveMember(group string, member principal.SID) error
	// SIDOf is LookupAccountName, NameOf is LookupAccountSid.
	SIDOf(name string) (principal.SID, error)
	NameOf(sid principal.SID) (name string, err error)

	// PasswordRules and SetPasswordRules are NetUserModalsGet and NetUserModalsSet at level 0.
	PasswordRules() (PasswordRules, error)
	SetPasswordRules(PasswordRules) error
	// LockoutRules and SetLockoutRules are the same at level 3.
	LockoutRules() (LockoutRules, error)
	SetLockoutRules(LockoutRules) error
	// Template is the security policy as the system's tool for security templates exports it, ApplyTemplate has that
	// tool configure the system with one; see secedit.
	Template() (string, error)
	ApplyTemplate(template string) error

	// Logon is LogonUser for an account of this machine, as from the network: nothing is started, and nobody is signed
	// in.
	Logon(name, password string) error
	// Sessions is WTSEnumerateSessions with WTSQuerySessionInformation.
	Sessions() ([]Session, error)
	// EndSession is WTSLogoffSession, which waits until it has ended.
	EndSession(id uint32) error
	// Processes is WTSEnumerateProcesses, EndProcess is WTSTerminateProcess.
	Processes() ([]Process, error)
	EndProcess(id uint32) error
	// Message is WTSSendMessage, which does not wait for an answer.
	Message(session uint32, title, text string) error
	// SignInNotice and SetSignInNotice are the values legalnoticecaption and legalnoticetext of the policies of the
	// system in its registry, which everybody reads before signing in.
	SignInNotice() (title, text string, err error)
	SetSignInNotice(title, text string) error
	// Restart is InitiateSystemShutdownEx, a minute later.
	Restart(message string) error

	// Events is EvtQuery with EvtRender: events of the Security log that an XPath query names, as XML, newest first,
	// until one is the last that is wanted.
	Events(query string, more func(event string) bool) error
	// Watch is EvtSubscribe: it tells of events to come that the query names.
	Watch(query string, tell func()) error

	// Protect and Unprotect are CryptProtectData and CryptUnprotectData with the key of the machine.
	Protect(data []byte) ([]byte, error)
	Unprotect(data []byte) ([]byte, error)
}

// Machine is what the system knows of itself.
type Machine struct {
	Name       string
	Version    string // 10.0.22631
	Build      int
	Controller bool          // of a domain
	SID        principal.SID // that of its accounts begins with it
	Firmware   []byte        // the SMBIOS tables as GetSystemFirmwareTable gives them
	Program    string        // path of the agent itself
}

// User is a local account, as USER_INFO_3 has it.
type User struct {
	Name, FullName, Comment string
	RID                     uint32
	Flags                   uint32 // UF_*, see lmaccess.h
	PasswordAge             uint32 // seconds
	PasswordExpired         bool   // or to be changed at the next sign-in
	Expires                 uint32 // seconds since 1970, or [Forever]
}

// Flags of an account that the host knows, from lmaccess.h.
const (
	FlagScript        uint32 = 0x0001  // UF_SCRIPT, which every account must have
	FlagDisabled      uint32 = 0x0002  // UF_ACCOUNTDISABLE
	FlagLocked        uint32 = 0x0010  // UF_LOCKOUT, which can be taken away and not be set
	FlagFixed         uint32 = 0x0040  // UF_PASSWD_CANT_CHANGE
	FlagNormal        uint32 = 0x0200  // UF_NORMAL_ACCOUNT
	FlagKeepsPassword uint32 = 0x10000 // UF_DONT_EXPIRE_PASSWD
)

// Forever is TIMEQ_FOREVER: no end.
const Forever uint32 = 0xffffffff

// Member is one of a local group, as LOCALGROUP_MEMBERS_INFO_2 has it.
type Member struct {
	SID  principal.SID
	Name string // DOMAIN\name, empty where nobody knows it
}

// PasswordRules are USER_MODALS_INFO_0; ages are in seconds, the greatest may be [Forever].
type PasswordRules struct {
	MinLength, MaxAge, MinAge, ForceLogoff, History uint32
}

// LockoutRules are USER_MODALS_INFO_3; times are in seconds, the duration may be [Forever].
type LockoutRules struct {
	Duration, Window, Threshold uint32
}

// Session is one of the system's sessions; without a name nobody is signed in.
type Session struct {
	ID           uint32
	User, Domain string
}

// Process is a running program, and whose it is.
type Process struct {
	ID  uint32
	SID principal.SID
}

// Runs is a service or a scheduled task.
type Runs struct {
	Name string
	As   string // an account as Windows writes it there: NAME, .\NAME, MACHINE\NAME or an identifier
}
