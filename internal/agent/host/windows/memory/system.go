package memory

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/windows"
)

// Program is the path of the agent on such a machine.
const Program = `C:\Program Files\Rank Warden\rankwarden-agent.exe`

// System is one machine. All of its methods may be called at once.
type System struct {
	Now func() time.Time
	// Is is what the machine says of itself.
	Is windows.Machine
	// Fails gives the error of a call by its name, nil where it does what it should.
	Fails func(call string) error
	// Mute has the machine answer for a disabled account without looking at the password.
	Mute bool
	// Relaxed is the security option that lets a minimum length of passwords be greater.
	Relaxed bool

	mu        sync.Mutex
	nextRID   uint32
	users     []*user
	groups    map[string]*group // by folded name
	passwords windows.PasswordRules
	lockout   windows.LockoutRules
	complex   bool
	events    []event // oldest first
	watches   []watch
	sessions  []windows.Session
	nextID    uint32 // of sessions
	processes []windows.Process
	Programs  []windows.Runs // services
	Scheduled []windows.Runs // tasks
	Messages  []string
	notice    [2]string // before signing in: title and text
	Restarts  int
}

type user struct {
	windows.User
	password string
	setAt    time.Time
	former   []string
	wrong    uint32
	wrongAt  time.Time
	lockedAt time.Time
}

type group struct {
	name    string
	sid     principal.SID
	members []principal.SID
}

var _ windows.System = (*System)(nil)

// Boot is a machine as it comes: with its built-in accounts, a person who set it up, and local groups, some of them
// under the names of another language.
func Boot(now func() time.Time) *System {
	s := &System{
		Now: now,
		Is: windows.Machine{Name: "SKL-OFF-200", Version: "10.0.22631", Build: 22631,
			SID: principal.MustSID("S-1-5-21-7000-1-200"), Program: Program, Firmware: table},
		nextRID:   1001,
		groups:    map[string]*group{},
		passwords: windows.PasswordRules{MaxAge: 42 * 24 * 3600, ForceLogoff: windows.Forever},
		lockout:   windows.LockoutRules{Duration: 600, Window: 600, Threshold: 10},
		nextID:    1,
	}
	for _, u := range []windows.User{
		{Name: "Verwalter", RID: 500, Comment: "Built-in account for administering the computer",
			Flags: windows.FlagScript | windows.FlagNormal | windows.FlagDisabled | windows.FlagKeepsPassword},
		{Name: "Gast", RID: 501, Flags: windows.FlagScript | windows.FlagNormal | windows.FlagDisabled},
		{Name: "Asta", RID: 1000, FullName: "Asta Holm", Flags: windows.FlagScript | windows.FlagNormal},
	} {
		u.Expires = windows.Forever
		s.users = append(s.users, &user{User: u, password: "a lamp over the north pier, " + u.Name, setAt: now()})
	}
	for name, as := range map[string]string{unit.GroupAdministrators: "Administratoren", "users": "Benutzer",
		"guests":           "Gäste",
		"backup-operators": "Sicherungs-Operatoren", "remote-desktop-users": "Remotedesktopbenutzer"} {
		s.groups[fold(as)] = &group{name: as, sid: drift.WellKnown(name)}
	}
	s.groups["administratoren"].members = []principal.SID{s.sid(500), s.sid(1000)}
	s.groups["benutzer"].members = []principal.SID{s.sid(1000)}
	return s
}

// table is what the firmware of the machine tells, as GetSystemFirmwareTable gives it: a type 1 structure with two
// words.
var table = append(append(make([]byte, 8), 1, 8, 0, 0, 1, 1, 1, 2), "Pier Desk 4\x00SK-20041\x00\x00"...)

func fold(name string) string { return strings.ToLower(name) }

func (s *System) sid(rid uint32) principal.SID {
	return principal.MustSID(fmt.Sprintf("%s-%d", s.Is.SID, rid))
}

// call begins one call; the machine is locked until end.
func (s *System) call(name string) (end func(), err error) {
	s.mu.Lock()
	if s.Fails != nil {
		err = s.Fails(name)
	}
	return s.mu.Unlock, err
}

func (s *System) user(name string) *user {
	i := slices.IndexFunc(s.users, func(u *user) bool { return fold(u.Name) == fold(name) })
	if i < 0 {
		return nil
	}
	return s.users[i]
}

// Machine implements [windows.System].
func (s *System) Machine() (windows.Machine, error) { return s.Is, nil }

// Users implements [windows.System].
func (s *System) Users() ([]windows.User, error) {
	end, err := s.call("NetUserEnum")
	defer end()
	if err != nil {
		return nil, err
	}
	var list []windows.User
	for _, u := range s.users {
		now := u.User
		now.PasswordAge = uint32(s.Now().Sub(u.setAt) / time.Second)
		if s.locked(u) {
			now.Flags |= windows.FlagLocked
		}
		list = append(list, now)
	}
	return list, nil
}

// check says why an account cannot have a name.
func (s *System) check(name string, but *user) error {
	switch u := s.user(name); {
	case name == "" || len([]rune(name)) > 20 || strings.ContainsAny(name, `"/\[]:;|=,+*?<>`) ||
		strings.ContainsRune(name, 0):
		return windows.BadUsername
	case u != nil && u != but:
		return windows.UserExists
	case s.groups[fold(name)] != nil:
		return windows.GroupExists
	}
	return nil
}

// AddUser implements [windows.System].
func (s *System) AddUser(name, password string, flags uint32) error {
	end, err := s.call("NetUserAdd")
	defer end()
	if err != nil {
		return err
	}
	if err := s.check(name, nil); err != nil {
		return err
	}
	u := &user{User: windows.User{Name: name, RID: s.nextRID, Flags: flags, Expires: windows.Forever}}
	if err := s.fits(u, password); err != nil {
		return err
	}
	s.nextRID++
	s.set(u, password)
	s.users = append(s.users, u)
	return nil
}

// DeleteUser implements [windows.System]. What the account was a member of keeps an identifier that nobody has.
func (s *System) DeleteUser(name string) error {
	return s.with("NetUserDel", name, func(u *user) error {
		if u.RID == 500 || u.RID == 501 {
			return windows.SpecialAccount
		}
		s.users = slices.DeleteFunc(s.users, func(other *user) bool { return other == u })
		return nil
	})
}

// with calls something about an account.
func (s *System) with(call, name string, do func(u *user) error) error {
	end, err := s.call(call)
	defer end()
	if err != nil {
		return err
	}
	u := s.user(name)
	if u == nil {
		return windows.UserNotFound
	}
	return do(u)
}

// RenameUser implements [windows.System].
func (s *System) RenameUser(name, next string) error {
	return s.with("NetUserSetInfo", name, func(u *user) error {
		if err := s.check(next, u); err != nil {
			return err
		}
		u.Name = next
		return nil
	})
}

// SetUserFlags implements [windows.System].
func (s *System) SetUserFlags(name string, flags uint32) error {
	return s.with("NetUserSetInfo", name, func(u *user) error {
		locked := s.locked(u)
		switch {
		case flags&windows.FlagScript == 0, flags&windows.FlagLocked != 0 && !locked:
			return windows.InvalidParameter
		case flags&windows.FlagLocked == 0 && locked:
			u.lockedAt, u.wrong = time.Time{}, 0
		}
		u.Flags = flags &^ windows.FlagLocked
		return nil
	})
}

// SetUserFullName implements [windows.System].
func (s *System) SetUserFullName(name, fullName string) error {
	return s.with("NetUserSetInfo", name, func(u *user) error { u.FullName = fullName; return nil })
}

// SetUserComment implements [windows.System].
func (s *System) SetUserComment(name, comment string) error {
	return s.with("NetUserSetInfo", name, func(u *user) error { u.Comment = comment; return nil })
}

// SetUserExpires implements [windows.System].
func (s *System) SetUserExpires(name string, expires uint32) error {
	return s.with("NetUserSetInfo", name, func(u *user) error { u.Expires = expires; return nil })
}

// ExpirePassword implements [windows.System].
func (s *System) ExpirePassword(name string) error {
	return s.with("NetUserSetInfo", name, func(u *user) error { u.PasswordExpired = true; return nil })
}

// Groups implements [windows.System].
func (s *System) Groups() ([]string, error) {
	end, err := s.call("NetLocalGroupEnum")
	defer end()
	var names []string
	for _, key := range slices.Sorted(maps.Keys(s.groups)) {
		names = append(names, s.groups[key].name)
	}
	return names, err
}

// nameOf is DOMAIN\name of an identifier.
func (s *System) nameOf(sid principal.SID) string {
	for _, u := range s.users {
		if s.sid(u.RID) == sid {
			return s.Is.Name + `\` + u.Name
		}
	}
	return ""
}

// Members implements [windows.System].
func (s *System) Members(name string) ([]windows.Member, error) {
	end, err := s.call("NetLocalGroupGetMembers")
	defer end()
	if err != nil {
		return nil, err
	}
	g := s.groups[fold(name)]
	if g == nil {
		return nil, windows.GroupNotFound
	}
	var list []windows.Member
	for _, sid := range g.members {
		list = append(list, windows.Member{SID: sid, Name: s.nameOf(sid)})
	}
	return list, nil
}

// AddMember implements [windows.System].
func (s *System) AddMember(name string, member principal.SID) error {
	end, err := s.call("NetLocalGroupAddMembers")
	defer end()
	g := s.groups[fold(name)]
	switch {
	case err != nil:
		return err
	case g == nil:
		return windows.GroupNotFound
	case slices.ContainsFunc(slices.Collect(maps.Values(s.groups)), func(g *group) bool { return g.sid == member }):
		return windows.InvalidMember
	case s.nameOf(member) == "":
		return windows.NoSuchMember
	case slices.Contains(g.members, member):
		return windows.MemberInAlias
	}
	g.members = append(g.members, member)
	return nil
}

// RemoveMember implements [windows.System].
func (s *System) RemoveMember(name string, member principal.SID) error {
	end, err := s.call("NetLocalGroupDelMembers")
	defer end()
	g := s.groups[fold(name)]
	switch {
	case err != nil:
		return err
	case g == nil:
		return windows.GroupNotFound
	case !slices.Contains(g.members, member):
		return windows.MemberNotInAlias
	case g.sid == drift.WellKnown(unit.GroupAdministrators) && member == s.sid(500):
		return windows.SpecialAccount
	}
	g.members = slices.DeleteFunc(g.members, func(m principal.SID) bool { return m == member })
	return nil
}

// SIDOf implements [windows.System].
func (s *System) SIDOf(name string) (principal.SID, error) {
	end, err := s.call("LookupAccountName")
	defer end()
	own, _ := strings.CutPrefix(name, s.Is.Name+`\`)
	switch u, g := s.user(own), s.groups[fold(own)]; {
	case err != nil:
		return principal.SID{}, err
	case u != nil:
		return s.sid(u.RID), nil
	case g != nil:
		return g.sid, nil
	}
	return principal.SID{}, windows.NoneMapped
}

// NameOf implements [windows.System].
func (s *System) NameOf(sid principal.SID) (string, error) {
	end, err := s.call("LookupAccountSid")
	defer end()
	if err != nil {
		return "", err
	}
	for _, g := range s.groups {
		if g.sid == sid {
			return g.name, nil
		}
	}
	if _, own, found := strings.Cut(s.nameOf(sid), `\`); found {
		return own, nil
	}
	return "", windows.NoneMapped
}

// Protect implements [windows.System], without hiding anything.
func (s *System) Protect(data []byte) ([]byte, error) {
	return append([]byte(s.Is.SID.String()), data...), nil
}

// Unprotect implements [windows.System]: it refuses what another machine protected.
func (s *System) Unprotect(data []byte) ([]byte, error) {
	own, found := strings.CutPrefix(string(data), s.Is.SID.String())
	if !found {
		return nil, errors.New("the data is invalid")
	}
	return []byte(own), nil
}
