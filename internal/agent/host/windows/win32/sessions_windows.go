package win32

import (
	"errors"
	"unsafe"

	"golang.org/x/sys/windows"

	host "rankwarden.example/internal/agent/host/windows"
)

// enumerated are the elements that one of the WTS functions gives; each is copied before their memory is freed.
func enumerated[T any](proc *windows.LazyProc, each func(*T) error) (err error) {
	const version = 1
	var buffer *byte
	var count uint32
	if _, err := last(proc, 0, 0, version, uintptr(unsafe.Pointer(&buffer)),
		uintptr(unsafe.Pointer(&count))); err != nil {
		return err
	}
	defer func() { _, _, _ = wtsFreeMemory.Call(uintptr(unsafe.Pointer(buffer))) }()
	elements := unsafe.Slice((*T)(unsafe.Pointer(buffer)), count)
	for i := range elements {
		err = errors.Join(err, each(&elements[i]))
	}
	return err
}

// Sessions implements [host.System].
func (s *System) Sessions() ([]host.Session, error) {
	var sessions []host.Session
	err := enumerated(wtsEnumerateSessions, func(w *wtsSessionInfo) error {
		user, err := sessionWord(w.SessionID, wtsUserName)
		if err != nil {
			return nil // it ended meanwhile
		}
		domain, err := sessionWord(w.SessionID, wtsDomainName)
		if err == nil {
			sessions = append(sessions, host.Session{ID: w.SessionID, User: user, Domain: domain})
		}
		return nil
	})
	return sessions, err
}

// sessionWord is one thing that the system knows of a session.
func sessionWord(session uint32, which uintptr) (string, error) {
	var buffer *uint16
	var size uint32
	if _, err := last(wtsQuerySessionInformation, 0, uintptr(session), which, uintptr(unsafe.Pointer(&buffer)),
		uintptr(unsafe.Pointer(&size))); err != nil {
		return "", err
	}
	defer func() { _, _, _ = wtsFreeMemory.Call(uintptr(unsafe.Pointer(buffer))) }()
	return text(buffer), nil
}

// EndSession implements [host.System].
func (s *System) EndSession(id uint32) error {
	const wait = 1
	_, err := last(wtsLogoffSession, 0, uintptr(id), wait)
	return err
}

// Processes implements [host.System].
func (s *System) Processes() ([]host.Process, error) {
	var processes []host.Process
	err := enumerated(wtsEnumerateProcesses, func(w *wtsProcessInfo) error {
		id, err := sid(w.UserSID)
		processes = append(processes, host.Process{ID: w.ProcessID, SID: id})
		return err
	})
	return processes, err
}

// EndProcess implements [host.System].
func (s *System) EndProcess(id uint32) error {
	const status = 1
	_, err := last(wtsTerminateProcess, 0, uintptr(id), status)
	return err
}

// Message implements [host.System].
func (s *System) Message(session uint32, title, message string) error {
	t, err := windows.UTF16FromString(title)
	if err != nil {
		return host.InvalidParameter
	}
	m, err := windows.UTF16FromString(message)
	if err != nil {
		return host.InvalidParameter
	}
	bytes := func(text []uint16) uintptr { return uintptr(2 * (len(text) - 1)) }
	var answer uint32
	_, err = last(
		wtsSendMessage,
		0,
		uintptr(session),
		uintptr(unsafe.Pointer(&t[0])),
		bytes(t),
		uintptr(unsafe.Pointer(&m[0])),
		bytes(m),
		messageInformation,
		0,
		uintptr(unsafe.Pointer(&answer)),
		0,
	)
	return err
}

// Restart implements [host.System].
func (s *System) Restart(message string) error {
	if err := permit("SeShutdownPrivilege"); err != nil {
		return err
	}
	m, err := wide(message)
	if err != nil {
		return err
	}
	const seconds = 60
	return code(windows.InitiateSystemShutdownEx(nil, m, seconds, true, true, reasonPlanned))
}

// permit has this process use a privilege that it has.
func permit(privilege string) error {
	name, err := wide(privilege)
	if err != nil {
		return err
	}
	privileges := windows.Tokenprivileges{PrivilegeCount: 1}
	if err := windows.LookupPrivilegeValue(nil, name, &privileges.Privileges[0].Luid); err != nil {
		return code(err)
	}
	privileges.Privileges[0].Attributes = windows.SE_PRIVILEGE_ENABLED
	var token windows.Token
	if err := windows.OpenProcessToken(windows.CurrentProcess(), windows.TOKEN_ADJUST_PRIVILEGES|windows.TOKEN_QUERY,
		&token); err != nil {
		return code(err)
	}
	defer token.Close()
	return code(windows.AdjustTokenPrivileges(token, false, &privileges, 0, nil, nil))
}
