package win32

import (
	"unsafe"

	"golang.org/x/sys/windows"

	"rankwarden.example/core/principal"
	host "rankwarden.example/internal/agent/host/windows"
)

// Groups implements [host.System].
func (s *System) Groups() ([]string, error) {
	var names []string
	err := list(func(buffer **byte, read, total *uint32, resume *uintptr) error {
		return net(netLocalGroupEnum, 0, 0, uintptr(unsafe.Pointer(buffer)), maxPreferredLength,
			uintptr(unsafe.Pointer(read)), uintptr(unsafe.Pointer(total)), uintptr(unsafe.Pointer(resume)))
	}, func(g *localGroupInfo0) error {
		names = append(names, text(g.Name))
		return nil
	})
	return names, err
}

// AddGroup implements [host.System].
func (s *System) AddGroup(name string) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	return net(netLocalGroupAdd, 0, 0, uintptr(unsafe.Pointer(&localGroupInfo0{Name: n})), 0)
}

// DeleteGroup implements [host.System].
func (s *System) DeleteGroup(name string) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	return net(netLocalGroupDel, 0, uintptr(unsafe.Pointer(n)))
}

// Members implements [host.System].
func (s *System) Members(group string) ([]host.Member, error) {
	g, err := wide(group)
	if err != nil {
		return nil, err
	}
	var members []host.Member
	err = list(func(buffer **byte, read, total *uint32, resume *uintptr) error {
		return net(
			netLocalGroupGetMembers,
			0,
			uintptr(unsafe.Pointer(g)),
			2,
			uintptr(unsafe.Pointer(buffer)),
			maxPreferredLength,
			uintptr(unsafe.Pointer(read)),
			uintptr(unsafe.Pointer(total)),
			uintptr(unsafe.Pointer(resume)),
		)
	}, func(m *localGroupMembersInfo2) error {
		id, err := sid(m.SID)
		members = append(members, host.Member{SID: id, Name: text(m.DomainAndName)})
		return err
	})
	return members, err
}

// AddMember implements [host.System].
func (s *System) AddMember(group string, member principal.SID) error {
	return changeMember(netLocalGroupAddMembers, group, member)
}

// RemoveMember implements [host.System].
func (s *System) RemoveMember(group string, member principal.SID) error {
	return changeMember(netLocalGroupDelMembers, group, member)
}

func changeMember(proc *windows.LazyProc, group string, member principal.SID) error {
	g, err := wide(group)
	if err != nil {
		return err
	}
	id, err := windows.StringToSid(member.String())
	if err != nil {
		return code(err)
	}
	info := localGroupMembersInfo0{(*byte)(unsafe.Pointer(id))}
	return net(proc, 0, uintptr(unsafe.Pointer(g)), 0, uintptr(unsafe.Pointer(&info)), 1)
}

// SIDOf implements [host.System].
func (s *System) SIDOf(name string) (principal.SID, error) {
	id, _, _, err := windows.LookupSID("", name)
	if err != nil {
		return principal.SID{}, code(err)
	}
	return principal.ParseSID(id.String())
}

// NameOf implements [host.System].
func (s *System) NameOf(sid principal.SID) (string, error) {
	id, err := windows.StringToSid(sid.String())
	if err != nil {
		return "", code(err)
	}
	name, _, _, err := id.LookupAccount("")
	return name, code(err)
}
