package win32

import (
	"errors"
	"fmt"
	"unsafe"

	"golang.org/x/sys/windows"

	"rankwarden.example/core/principal"
	host "rankwarden.example/internal/agent/host/windows"
)

// Libraries of the system, loaded from its own directory alone.
var (
	netapi32 = windows.NewLazySystemDLL("netapi32.dll")
	advapi32 = windows.NewLazySystemDLL("advapi32.dll")
	wtsapi32 = windows.NewLazySystemDLL("wtsapi32.dll")
	wevtapi  = windows.NewLazySystemDLL("wevtapi.dll")
	kernel32 = windows.NewLazySystemDLL("kernel32.dll")

	netUserEnum             = netapi32.NewProc("NetUserEnum")
	netUserAdd              = netapi32.NewProc("NetUserAdd")
	netUserDel              = netapi32.NewProc("NetUserDel")
	netUserGetInfo          = netapi32.NewProc("NetUserGetInfo")
	netUserSetInfo          = netapi32.NewProc("NetUserSetInfo")
	netUserChangePassword   = netapi32.NewProc("NetUserChangePassword")
	netUserModalsGet        = netapi32.NewProc("NetUserModalsGet")
	netUserModalsSet        = netapi32.NewProc("NetUserModalsSet")
	netLocalGroupEnum       = netapi32.NewProc("NetLocalGroupEnum")
	netLocalGroupAdd        = netapi32.NewProc("NetLocalGroupAdd")
	netLocalGroupDel        = netapi32.NewProc("NetLocalGroupDel")
	netLocalGroupGetMembers = netapi32.NewProc("NetLocalGroupGetMembers")
	netLocalGroupAddMembers = netapi32.NewProc("NetLocalGroupAddMembers")
	netLocalGroupDelMembers = netapi32.NewProc("NetLocalGroupDelMembers")

	logonUser              = advapi32.NewProc("LogonUserW")
	createProcessWithLogon = advapi32.NewProc("CreateProcessWithLogonW")

	wtsEnumerateSessions       = wtsapi32.NewProc("WTSEnumerateSessionsW")
	wtsQuerySessionInformation = wtsapi32.NewProc("WTSQuerySessionInformationW")
	wtsLogoffSession           = wtsapi32.NewProc("WTSLogoffSession")
	wtsEnumerateProcesses      = wtsapi32.NewProc("WTSEnumerateProcessesW")
	wtsTerminateProcess        = wtsapi32.NewProc("WTSTerminateProcess")
	wtsSendMessage             = wtsapi32.NewProc("WTSSendMessageW")
	wtsFreeMemory              = wtsapi32.NewProc("WTSFreeMemory")
	evtQuery                   = wevtapi.NewProc("EvtQuery")
	evtNext                    = wevtapi.NewProc("EvtNext")
	evtRender                  = wevtapi.NewProc("EvtRender")
	evtSubscribe               = wevtapi.NewProc("EvtSubscribe")
	evtClose                   = wevtapi.NewProc("EvtClose")
	getSystemFirmwareTable     = kernel32.NewProc("GetSystemFirmwareTable")
	setSystemTime              = kernel32.NewProc("SetSystemTime")
)

// net makes a call that gives its error as its result. Arguments that are pointers are converted where it is called, so
// that what they point to stays where it is until the call is over.
//
//go:uintptrescapes
func net(proc *windows.LazyProc, args ...uintptr) error {
	if err := proc.Find(); err != nil {
		return err
	}
	status, _, _ := proc.Call(args...)
	if status != 0 {
		return host.Code(status)
	}
	return nil
}

// last makes a call that says whether it worked, and has its error asked for. Its arguments are as those of [net].
//
//go:uintptrescapes
func last(proc *windows.LazyProc, args ...uintptr) (result uintptr, err error) {
	if err := proc.Find(); err != nil {
		return 0, err
	}
	result, _, err = proc.Call(args...)
	if result == 0 && errors.Is(err, windows.ERROR_SUCCESS) {
		return 0, fmt.Errorf("%s failed and gave no reason", proc.Name)
	}
	if result == 0 {
		return 0, code(err)
	}
	return result, nil
}

// code gives an error of the system as its number.
func code(err error) error {
	var number windows.Errno
	if errors.As(err, &number) && number != 0 {
		return host.Code(number)
	}
	return err
}

// wide is a text as calls take it. A text with zero in it is no text.
func wide(text string) (*uint16, error) {
	at, err := windows.UTF16PtrFromString(text)
	if err != nil {
		return nil, host.InvalidParameter
	}
	return at, nil
}

func text(at *uint16) string { return windows.UTF16PtrToString(at) }

// sid reads an identifier in the memory of the system, which may be none.
func sid(at *byte) (principal.SID, error) {
	if at == nil {
		return principal.SID{}, nil
	}
	return principal.ParseSID((*windows.SID)(unsafe.Pointer(at)).String())
}

// list enumerates with a call of the network functions: it is asked until it has told all, and its buffers are freed.
func list[T any](call func(buffer **byte, read, total *uint32, resume *uintptr) error, each func(*T) error) error {
	var resume uintptr
	for {
		var buffer *byte
		var read, total uint32
		err := call(&buffer, &read, &total, &resume)
		more := errors.Is(err, host.Code(windows.ERROR_MORE_DATA))
		if err != nil && !more {
			return err
		}
		err = nil
		if buffer != nil {
			elements := unsafe.Slice((*T)(unsafe.Pointer(buffer)), read)
			for i := range elements {
				if err = each(&elements[i]); err != nil {
					break
				}
			}
			_ = windows.NetApiBufferFree(buffer) // nothing is to be done about a buffer that cannot be freed
		}
		if err != nil || !more {
			return err
		}
	}
}
