package win32

import (
	"unsafe"

	"golang.org/x/sys/windows"

	host "rankwarden.example/internal/agent/host/windows"
)

// Users implements [host.System].
func (s *System) Users() ([]host.User, error) {
	var users []host.User
	err := list(func(buffer **byte, read, total *uint32, resume *uintptr) error {
		return net(netUserEnum, 0, 3, filterNormalAccount, uintptr(unsafe.Pointer(buffer)), maxPreferredLength,
			uintptr(unsafe.Pointer(read)), uintptr(unsafe.Pointer(total)), uintptr(unsafe.Pointer(resume)))
	}, func(u *userInfo3) error {
		users = append(users, host.User{
			Name: text(u.Name), FullName: text(u.FullName), Comment: text(u.Comment), RID: u.UserID, Flags: u.Flags,
			PasswordAge: u.PasswordAge, PasswordExpired: u.PasswordExpired != 0, Expires: u.AcctExpires,
		})
		return nil
	})
	return users, err
}

// AddUser implements [host.System].
func (s *System) AddUser(name, password string, flags uint32) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	p, err := wide(password)
	if err != nil {
		return err
	}
	return net(
		netUserAdd,
		0,
		1,
		uintptr(unsafe.Pointer(&userInfo1{Name: n, Password: p, Priv: userPrivUser, Flags: flags})),
		0,
	)
}

// DeleteUser implements [host.System].
func (s *System) DeleteUser(name string) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	return net(netUserDel, 0, uintptr(unsafe.Pointer(n)))
}

// setUser is NetUserSetInfo at a level.
func setUser[T any](name string, level uintptr, info *T) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	return net(netUserSetInfo, 0, uintptr(unsafe.Pointer(n)), level, uintptr(unsafe.Pointer(info)), 0)
}

// setUserText is the same at a level that holds one text.
func setUserText[T any](name string, level uintptr, text string, info func(*uint16) T) error {
	at, err := wide(text)
	if err != nil {
		return err
	}
	of := info(at)
	return setUser(name, level, &of)
}

// RenameUser implements [host.System].
func (s *System) RenameUser(name, next string) error {
	return setUserText(name, 0, next, func(at *uint16) userInfo0 { return userInfo0{at} })
}

// SetUserPassword implements [host.System].
func (s *System) SetUserPassword(name, password string) error {
	return setUserText(name, 1003, password, func(at *uint16) userInfo1003 { return userInfo1003{at} })
}

// SetUserFlags implements [host.System].
func (s *System) SetUserFlags(name string, flags uint32) error {
	return setUser(name, 1008, &userInfo1008{flags})
}

// SetUserFullName implements [host.System].
func (s *System) SetUserFullName(name, fullName string) error {
	return setUserText(name, 1011, fullName, func(at *uint16) userInfo1011 { return userInfo1011{at} })
}

// SetUserComment implements [host.System].
func (s *System) SetUserComment(name, comment string) error {
	return setUserText(name, 1007, comment, func(at *uint16) userInfo1007 { return userInfo1007{at} })
}

// SetUserExpires implements [host.System].
func (s *System) SetUserExpires(name string, expires uint32) error {
	return setUser(name, 1017, &userInfo1017{expires})
}

// ExpirePassword implements [host.System]. Level 3 is the only one that has the flag; the rest of it is set to what it
// is, the password left out.
func (s *System) ExpirePassword(name string) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	var user *userInfo3
	if err := net(netUserGetInfo, 0, uintptr(unsafe.Pointer(n)), 3, uintptr(unsafe.Pointer(&user))); err != nil {
		return err
	}
	next := *user
	next.Password, next.PasswordExpired = nil, 1
	err = setUser(name, 3, &next)
	_ = windows.NetApiBufferFree((*byte)(unsafe.Pointer(user))) // nothing is to be done where it cannot be freed
	return err
}

// Logon implements [host.System].
func (s *System) Logon(name, password string) error { return logon(name, password, logonNetwork) }

// logon is LogonUser for an account of this machine; the token that it gives is closed.
func logon(name, password string, kind uintptr) error {
	n, err := wide(name)
	if err != nil {
		return err
	}
	p, err := wide(password)
	if err != nil {
		return err
	}
	here, err := wide(".")
	if err != nil {
		return err
	}
	var token windows.Token
	if _, err := last(logonUser, uintptr(unsafe.Pointer(n)), uintptr(unsafe.Pointer(here)), uintptr(unsafe.Pointer(p)),
		kind, logonProviderDefault, uintptr(unsafe.Pointer(&token))); err != nil {
		return err
	}
	return token.Close()
}
