package memory

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host/windows"
)

// event is one of the Security log.
type event struct {
	id  int
	at  time.Time
	xml string
}

// watch is somebody who asked for events to come.
type watch struct {
	query string
	tell  func()
}

// matches reports whether a query such as *[System[EventID=1 or EventID=2]] names an event; others it does not know.
func matches(query string, id int) bool {
	terms, found := strings.CutPrefix(query, "*[System[")
	terms, closed := strings.CutSuffix(terms, "]]")
	return found && closed && slices.Contains(strings.Split(terms, " or "), fmt.Sprintf("EventID=%d", id))
}

// write adds an event to the Security log.
func (s *System) write(id int, data ...string) {
	at := s.Now()
	if n := len(s.events); n > 0 && !at.After(s.events[n-1].at) {
		at = s.events[n-1].at.Add(time.Microsecond) // a clock that stands still
	}
	var b strings.Builder
	fmt.Fprintf(
		&b,
		`<Event xmlns='http://schemas.microsoft.com/win/2004/08/events/event'><System><EventID>%d</EventID>`+
			`<TimeCreated SystemTime='%s'/></System><EventData>`,
		id,
		at.UTC().Format("2006-01-02T15:04:05.0000000Z"),
	)
	for i := 0; i < len(data); i += 2 {
		fmt.Fprintf(&b, `<Data Name='%s'>%s</Data>`, data[i], data[i+1])
	}
	b.WriteString(`</EventData></Event>`)
	s.events = append(s.events, event{id, at, b.String()})
	for _, w := range s.watches {
		if matches(w.query, id) {
			w.tell()
		}
	}
}

// Events implements [windows.System].
func (s *System) Events(query string, more func(event string) bool) error {
	end, err := s.call("EvtQuery")
	events := slices.Clone(s.events)
	end()
	if err != nil {
		return err
	}
	for _, e := range slices.Backward(events) {
		if matches(query, e.id) && !more(e.xml) {
			return nil
		}
	}
	return nil
}

// Watch implements [windows.System].
func (s *System) Watch(query string, tell func()) error {
	end, err := s.call("EvtSubscribe")
	defer end()
	s.watches = append(s.watches, watch{query, tell})
	return err
}

// Types of a sign-in that the machine knows.
const (
	interactive = 2
	network     = 3
)

// Logon implements [windows.System].
func (s *System) Logon(name, password string) error { return s.logon(name, password, network, Program) }

func (s *System) logon(name, password string, kind int, program string) error {
	end, err := s.call("LogonUser")
	defer end()
	u := s.user(name)
	switch {
	case err != nil:
		return err
	case u == nil:
		return windows.LogonFailure
	case s.locked(u):
		return windows.AccountLockedOut
	case s.Mute && u.Flags&windows.FlagDisabled != 0:
		return windows.AccountDisabled
	case u.password != password:
		s.miss(u)
		return windows.LogonFailure
	case u.Flags&windows.FlagDisabled != 0:
		return windows.AccountDisabled
	case u.Expires != windows.Forever && int64(u.Expires) <= s.Now().Unix():
		return windows.AccountExpired
	case u.PasswordExpired:
		return windows.PasswordMustChange
	case password == "":
		return windows.AccountRestriction
	}
	u.wrong = 0
	s.write(
		4624,
		"TargetUserSid",
		s.sid(u.RID).String(),
		"TargetUserName",
		u.Name,
		"LogonType",
		fmt.Sprint(kind),
		"ProcessName",
		program,
	)
	return nil
}

// miss counts a wrong password.
func (s *System) miss(u *user) {
	if s.Now().Sub(u.wrongAt) >= time.Duration(s.lockout.Window)*time.Second {
		u.wrong = 0
	}
	u.wrong, u.wrongAt = u.wrong+1, s.Now()
	if s.lockout.Threshold > 0 && u.wrong >= s.lockout.Threshold && u.RID != 500 {
		u.lockedAt = s.Now()
		s.write(4740, "TargetUserName", u.Name, "TargetSid", s.sid(u.RID).String())
	}
}

// SignIn is what somebody does at the keyboard; it gives the session.
func (s *System) SignIn(name, password string) (session uint32, err error) {
	if err := s.logon(name, password, interactive, `C:\Windows\System32\svchost.exe`); err != nil {
		return 0, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	session = s.nextID
	s.nextID++
	s.sessions = append(s.sessions, windows.Session{ID: session, User: name, Domain: s.Is.Name})
	s.processes = append(s.processes, windows.Process{ID: 4000 + session, SID: s.sid(s.user(name).RID)})
	return session, nil
}

// SignedIn reports whether a session goes on, or a program that was started in it.
func (s *System) SignedIn(session uint32) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.ContainsFunc(s.sessions, func(x windows.Session) bool { return x.ID == session }) ||
		slices.ContainsFunc(s.processes, func(x windows.Process) bool { return x.ID == 4000+session })
}

// Sessions implements [windows.System]; one of them is the system's own.
func (s *System) Sessions() ([]windows.Session, error) {
	end, err := s.call("WTSEnumerateSessions")
	defer end()
	return append([]windows.Session{{}}, s.sessions...), err
}

// EndSession implements [windows.System]. A program that somebody left running outlives its session.
func (s *System) EndSession(id uint32) error {
	end, err := s.call("WTSLogoffSession")
	defer end()
	s.sessions = slices.DeleteFunc(s.sessions, func(x windows.Session) bool { return x.ID == id })
	return err
}

// Processes implements [windows.System].
func (s *System) Processes() ([]windows.Process, error) {
	end, err := s.call("WTSEnumerateProcesses")
	defer end()
	return append([]windows.Process{{ID: 4, SID: principal.MustSID("S-1-5-18")}}, s.processes...), err
}

// EndProcess implements [windows.System].
func (s *System) EndProcess(id uint32) error {
	end, err := s.call("WTSTerminateProcess")
	defer end()
	if err != nil {
		return err
	}
	left := len(s.processes)
	s.processes = slices.DeleteFunc(s.processes, func(x windows.Process) bool { return x.ID == id })
	if len(s.processes) == left {
		return windows.InvalidParameter
	}
	return nil
}

// Message implements [windows.System].
func (s *System) Message(_ uint32, title, text string) error {
	end, err := s.call("WTSSendMessage")
	defer end()
	s.Messages = append(s.Messages, title+": "+text)
	return err
}

// Restart implements [windows.System].
func (s *System) Restart(string) error {
	end, err := s.call("InitiateSystemShutdownEx")
	defer end()
	s.Restarts++
	return err
}

// Services implements [windows.System].
func (s *System) Services() ([]windows.Runs, error) {
	end, err := s.call("Services")
	defer end()
	return slices.Clone(s.Programs), err
}

// Tasks implements [windows.System].
func (s *System) Tasks() ([]windows.Runs, error) {
	end, err := s.call("Tasks")
	defer end()
	return slices.Clone(s.Scheduled), err
}
