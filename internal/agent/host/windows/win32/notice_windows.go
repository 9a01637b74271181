package win32

import (
	"errors"

	"golang.org/x/sys/windows/registry"
)

// Where the notice before signing in is kept.
const (
	noticeKey   = `SOFTWARE\Microsoft\Windows\CurrentVersion\Policies\System`
	noticeTitle = "legalnoticecaption"
	noticeText  = "legalnoticetext"
)

// SignInNotice implements [host.System].
func (s *System) SignInNotice() (title, text string, err error) {
	key, err := registry.OpenKey(registry.LOCAL_MACHINE, noticeKey, registry.QUERY_VALUE)
	if err != nil {
		return "", "", code(err)
	}
	defer key.Close()
	values := map[string]string{}
	for _, name := range []string{noticeTitle, noticeText} {
		value, _, err := key.GetStringValue(name)
		if err != nil && !errors.Is(err, registry.ErrNotExist) {
			return "", "", code(err)
		}
		values[name] = value
	}
	return values[noticeTitle], values[noticeText], nil
}

// SetSignInNotice implements [host.System].
func (s *System) SetSignInNotice(title, text string) error {
	key, err := registry.OpenKey(registry.LOCAL_MACHINE, noticeKey, registry.SET_VALUE)
	if err != nil {
		return code(err)
	}
	defer key.Close()
	if err := key.SetStringValue(noticeTitle, title); err != nil {
		return code(err)
	}
	return code(key.SetStringValue(noticeText, text))
}
