//go:build linux

package main

import (
	"errors"
	"fmt"
	"runtime"
	"strings"
	"syscall"
	"unsafe"

	"github.com/ebitengine/purego"

	"rankwarden.example/internal/agent/host/linux/door"
)

// Constants of pam(3), see _pam_types.h.
const (
	pamSuccess   = 0
	pamBufErr    = 5
	pamConvErr   = 19
	pamFailDelay = 10 // an item

	promptEchoOff = 1
	promptEchoOn  = 2
)

// message is struct pam_message.
type message struct {
	style int32
	text  *byte
}

// response is struct pam_response. Its text belongs to the C library.
type response struct {
	text *byte
	code int32
}

// conversation is struct pam_conv.
type conversation struct {
	talk uintptr
	_    uintptr // what it is given back; nothing is needed
}

// library are the functions of libpam and of the C library that it needs.
type library struct {
	start   func(service, user string, conv *conversation, confdir string, handle *uintptr) int32
	end     func(handle uintptr, code int32) int32
	auth    func(handle uintptr, flags int32) int32
	account func(handle uintptr, flags int32) int32
	change  func(handle uintptr, flags int32) int32
	setItem func(handle uintptr, item int32, value uintptr) int32
	calloc  func(n, size uintptr) unsafe.Pointer
	strdup  func(text string) *byte
	conv    conversation
	noDelay uintptr
	answers answers // of the step that is taken
}

// answers are what is said to the modules, and what they said.
type answers struct {
	old, password string
	given         int // how often the new password was given
	said          []string
}

// open loads libpam.
func open() (*library, error) {
	pam, err := purego.Dlopen("libpam.so.0", purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, fmt.Errorf("this system has no PAM: %w", err)
	}
	libc, err := purego.Dlopen("libc.so.6", purego.RTLD_NOW|purego.RTLD_GLOBAL)
	if err != nil {
		return nil, err
	}
	if _, err := purego.Dlsym(pam, "pam_start_confdir"); err != nil {
		return nil, errors.New("its PAM is older than 1.4, and cannot be tried without changing it")
	}
	l := &library{}
	for name, f := range map[string]any{"pam_start_confdir": &l.start, "pam_end": &l.end, "pam_authenticate": &l.auth,
		"pam_acct_mgmt": &l.account, "pam_chauthtok": &l.change, "pam_set_item": &l.setItem} {
		purego.RegisterLibFunc(f, pam, name)
	}
	purego.RegisterLibFunc(&l.calloc, libc, "calloc")
	purego.RegisterLibFunc(&l.strdup, libc, "strdup")
	l.conv.talk = purego.NewCallback(l.talk)
	l.noDelay = purego.NewCallback(func(code int32, micros uint32, data uintptr) uintptr { return 0 })
	return l, nil
}

// talk answers what modules ask, as conv of pam_conv(3).
func (l *library) talk(count int32, messages **message, into **response, _ uintptr) uintptr {
	if count <= 0 {
		return pamConvErr
	}
	list := l.calloc(uintptr(count), unsafe.Sizeof(response{}))
	if list == nil {
		return pamBufErr
	}
	given := unsafe.Slice((*response)(list), count)
	for i, m := range unsafe.Slice(messages, count) {
		text := textOf(m.text)
		switch m.style {
		case promptEchoOff, promptEchoOn:
			answer, more := l.answers.to(text)
			if !more {
				return pamConvErr // it was refused, and asks again; the list is the library's to free with the process
			}
			given[i].text = l.strdup(answer)
		default:
			l.answers.said = append(l.answers.said, text)
		}
	}
	*into = (*response)(list)
	return pamSuccess
}

// to is the answer to a question; false when there is none any more.
func (a *answers) to(question string) (string, bool) {
	if a.old != "" && strings.Contains(strings.ToLower(question), "current") {
		return a.old, true
	}
	a.given++
	return a.password, a.given <= 2
}

// textOf is a text of C.
func textOf(at *byte) string {
	if at == nil {
		return ""
	}
	var text []byte
	for p := unsafe.Pointer(at); *(*byte)(p) != 0; p = unsafe.Add(p, 1) {
		text = append(text, *(*byte)(p))
	}
	return string(text)
}

// take takes one step.
func (l *library) take(trial door.Trial, step door.Step) (door.Outcome, error) {
	l.answers = answers{old: step.Old, password: step.Password}
	var handle uintptr
	code := l.start(step.Service, trial.User, &l.conv, trial.ConfDir, &handle)
	if code != pamSuccess {
		return l.outcome(code), nil
	}
	l.setItem(handle, pamFailDelay, l.noDelay)
	if step.Old != "" {
		code = 0
		err := asUser(trial.UID, func() { code = l.change(handle, 0) })
		l.end(handle, code)
		return l.outcome(code), err
	}
	if code = l.auth(handle, 0); code == pamSuccess {
		code = l.account(handle, 0)
	}
	l.end(handle, code)
	return l.outcome(code), nil
}

// asUser does something as passwd(1) does it for a user: the real user is the account, the effective one stays root.
// Modules go by the former where they spare root.
func asUser(uid int, do func()) error {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	become := func(real int) error {
		if _, _, failed := syscall.RawSyscall(syscall.SYS_SETRESUID, uintptr(real), 0, 0); failed != 0 {
			return fmt.Errorf("becoming the account: %w", failed)
		}
		return nil
	}
	if err := become(uid); err != nil {
		return err
	}
	do()
	return become(0)
}

// names are the codes of pam(3), see _pam_types.h.
var names = strings.Fields(`PAM_SUCCESS PAM_OPEN_ERR PAM_SYMBOL_ERR PAM_SERVICE_ERR PAM_SYSTEM_ERR PAM_BUF_ERR
	PAM_PERM_DENIED PAM_AUTH_ERR PAM_CRED_INSUFFICIENT PAM_AUTHINFO_UNAVAIL PAM_USER_UNKNOWN PAM_MAXTRIES
	PAM_NEW_AUTHTOK_REQD PAM_ACCT_EXPIRED PAM_SESSION_ERR PAM_CRED_UNAVAIL PAM_CRED_EXPIRED PAM_CRED_ERR
	PAM_NO_MODULE_DATA PAM_CONV_ERR PAM_AUTHTOK_ERR PAM_AUTHTOK_RECOVERY_ERR PAM_AUTHTOK_LOCK_BUSY
	PAM_AUTHTOK_DISABLE_AGING PAM_TRY_AGAIN PAM_IGNORE PAM_ABORT PAM_AUTHTOK_EXPIRED PAM_MODULE_UNKNOWN PAM_BAD_ITEM
	PAM_CONV_AGAIN PAM_INCOMPLETE`)

func (l *library) outcome(code int32) door.Outcome {
	o := door.Outcome{Code: int(code), Name: fmt.Sprint(code)}
	if code >= 0 && int(code) < len(names) {
		o.Name = names[code]
	}
	if n := len(l.answers.said); n > 0 {
		o.Said = l.answers.said[n-1]
	}
	return o
}
