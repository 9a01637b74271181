package win32

import (
	"fmt"
	"os"
	"unsafe"

	"golang.org/x/sys/windows"

	"rankwarden.example/core/principal"
	host "rankwarden.example/internal/agent/host/windows"
)

// System is the Windows that this runs on.
type System struct {
	dir string // that only the system and administrators can read
}

var _ host.System = (*System)(nil)

// New gives the system. What its tools need goes into a directory that [Private] made.
func New(dir string) *System { return &System{dir} }

// Machine implements [host.System].
func (s *System) Machine() (m host.Machine, err error) {
	version := windows.RtlGetVersion()
	m.Version = fmt.Sprintf("%d.%d.%d", version.MajorVersion, version.MinorVersion, version.BuildNumber)
	m.Build, m.Controller = int(version.BuildNumber), version.ProductType == domainController
	if m.Name, err = windows.ComputerName(); err != nil {
		return m, code(err)
	}
	err = modals(2, func(found *userModalsInfo2) { m.SID, err = sid(found.DomainID) })
	if err == nil && m.SID == (principal.SID{}) {
		err = fmt.Errorf("this machine has no identifier of its own")
	}
	if err != nil {
		return m, fmt.Errorf("the identifier of this machine: %w", err)
	}
	m.Firmware = firmwareTables()
	m.Program, err = os.Executable()
	return m, err
}

// firmwareTables are those of SMBIOS; a machine without them has none.
func firmwareTables() []byte {
	const smbios = 'R'<<24 | 'S'<<16 | 'M'<<8 | 'B'
	size, err := last(getSystemFirmwareTable, smbios, 0, 0, 0)
	if err != nil {
		return nil
	}
	tables := make([]byte, size)
	if size, err = last(getSystemFirmwareTable, smbios, 0, uintptr(unsafe.Pointer(&tables[0])), size); err != nil ||
		size > uintptr(len(tables)) {
		return nil
	}
	return tables[:size]
}

// Protect implements [host.System].
func (s *System) Protect(data []byte) ([]byte, error) {
	return protection(data, func(in, out *windows.DataBlob) error {
		return windows.CryptProtectData(in, nil, nil, 0, nil, protectLocalMachine|protectUIForbidden, out)
	})
}

// Unprotect implements [host.System].
func (s *System) Unprotect(data []byte) ([]byte, error) {
	return protection(data, func(in, out *windows.DataBlob) error {
		return windows.CryptUnprotectData(in, nil, nil, 0, nil, protectUIForbidden, out)
	})
}

func protection(data []byte, do func(in, out *windows.DataBlob) error) ([]byte, error) {
	if len(data) == 0 {
		return nil, host.InvalidParameter
	}
	var out windows.DataBlob
	if err := do(&windows.DataBlob{Size: uint32(len(data)), Data: &data[0]}, &out); err != nil {
		return nil, code(err)
	}
	made := append([]byte{}, unsafe.Slice(out.Data, out.Size)...)
	clear(unsafe.Slice(out.Data, out.Size)) // it may be the key
	_, err := windows.LocalFree(windows.Handle(unsafe.Pointer(out.Data)))
	return made, code(err)
}
