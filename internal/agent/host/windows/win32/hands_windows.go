package win32

import (
	"context"
	"time"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Hands are what somebody does at this machine, for the checks of a host. They are for a machine that may be thrown
// away.
type Hands struct{}

// SignIn signs in as at the keyboard, and out again.
func (Hands) SignIn(_ context.Context, name, password string) error {
	return logon(name, password, logonInteractive)
}

// Stay starts a program as somebody; there says whether it still runs.
func (Hands) Stay(_ context.Context, name, password string) (there func() bool, err error) {
	n, err := wide(name)
	if err != nil {
		return nil, err
	}
	p, err := wide(password)
	if err != nil {
		return nil, err
	}
	here, err := wide(".")
	if err != nil {
		return nil, err
	}
	line, err := wide("ping.exe -n 3600 127.0.0.1") // a program that every machine has, and that goes on by itself
	if err != nil {
		return nil, err
	}
	startup, started := windows.StartupInfo{}, windows.ProcessInformation{}
	startup.Cb = uint32(unsafe.Sizeof(startup))
	if _, err := last(createProcessWithLogon, uintptr(unsafe.Pointer(n)), uintptr(unsafe.Pointer(here)),
		uintptr(unsafe.Pointer(p)), logonWithProfile, 0, uintptr(unsafe.Pointer(line)), createNoWindow,
		0, 0, uintptr(unsafe.Pointer(&startup)), uintptr(unsafe.Pointer(&started))); err != nil {
		return nil, err
	}
	return func() bool {
		event, err := windows.WaitForSingleObject(started.Process, 0)
		return err == nil && event == uint32(windows.WAIT_TIMEOUT)
	}, nil
}

// Change changes a password as its owner.
func (Hands) Change(_ context.Context, name, old, password string) error {
	machine, err := windows.ComputerName()
	if err != nil {
		return err
	}
	var words [4]*uint16
	for i, word := range []string{machine, name, old, password} {
		if words[i], err = wide(word); err != nil {
			return err
		}
	}
	return net(
		netUserChangePassword,
		uintptr(unsafe.Pointer(words[0])),
		uintptr(unsafe.Pointer(words[1])),
		uintptr(unsafe.Pointer(words[2])),
		uintptr(unsafe.Pointer(words[3])),
	)
}

// Later sets the clock of the machine forward. The system may set it right again by itself.
func (Hands) Later(d time.Duration) error {
	if err := permit("SeSystemtimePrivilege"); err != nil {
		return err
	}
	at := time.Now().Add(d).UTC()
	_, err := last(setSystemTime, uintptr(unsafe.Pointer(&systemTime{
		Year: uint16(
			at.Year(),
		), Month: uint16(at.Month()), Day: uint16(at.Day()), Hour: uint16(at.Hour()), Minute: uint16(at.Minute()),
		Second: uint16(at.Second()), Milliseconds: uint16(at.Nanosecond() / int(time.Millisecond)),
	})))
	return err
}
