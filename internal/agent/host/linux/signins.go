//go:build linux

package linux

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime"
	"slices"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

const wtmpFile = "/var/log/wtmp"

// A record of wtmp(5), whose layout differs between machines of 32 and 64 bits only where a program of the former must
// read it.
const (
	recordType = 0
	recordUser = 44
	userBytes  = 32
	userLogin  = 7 // USER_PROCESS
)

// layout is the size of a record, and where it has its time, in bytes.
func layout() (size, at, wide int) {
	if runtime.GOARCH == "arm64" {
		return 400, 344, 8
	}
	return 384, 340, 4
}

// SignIns implements [host.Host]. The number of a sign-in is the microsecond in which it was written. Sign-ins at a
// terminal are those of wtmp(5), others those that PAM tells of.
func (h *Host) SignIns(ctx context.Context, after int64) ([]host.SignIn, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	d, err := h.accounts()
	if err != nil {
		return nil, err
	}
	logins, err := loginsAfter(after)
	if err != nil {
		return nil, fmt.Errorf("reading sign-ins: %w", err)
	}
	sessions, err := h.sessionsAfter(ctx, d, after)
	if err != nil {
		return nil, fmt.Errorf("reading sign-ins: %w", err)
	}
	h.last.noteLogins(logins)
	for _, s := range sessions {
		if !h.last.isLogin(s) {
			logins = append(logins, s)
		}
	}
	slices.SortStableFunc(logins, func(a, b login) int { return a.at.Compare(b.at) })
	var found []host.SignIn
	for _, r := range logins {
		account, name := principal.SID{}, "" // of nobody who is there now
		i := slices.IndexFunc(d.people, func(p person) bool { return p.name[:min(len(p.name), userBytes)] == r.user })
		if i >= 0 {
			account = d.people[i].sid()
		} else {
			name = r.user // of a directory, or of an account that is gone
		}
		number := r.at.UnixMicro()
		if n := len(found); n > 0 {
			number = max(number, found[n-1].Number+1)
		}
		found = append(found, host.SignIn{Number: number, Account: account, Name: name, At: r.at})
	}
	return found, nil
}

// sameUse is how far apart what wtmp(5) and what PAM tell of one sign-in may be.
const sameUse = 5 * time.Second

// noteLogins remembers who signed in at a terminal last, and when.
func (l *last) noteLogins(logins []login) {
	if l.atTerminal == nil {
		l.atTerminal = map[string]time.Time{}
	}
	for _, of := range logins {
		l.atTerminal[of.user] = of.at
	}
}

// isLogin reports whether a session that PAM tells of is a sign-in at a terminal, which is known already.
func (l *last) isLogin(s login) bool {
	at, known := l.atTerminal[s.user]
	return known && s.at.Sub(at).Abs() <= sameUse
}

// loginsAfter are the sign-ins of wtmp(5) after a microsecond; none where the device keeps no such record.
func loginsAfter(after int64) ([]login, error) {
	f, err := os.Open(wtmpFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return recordsAfter(f, after)
}

// login is a record of somebody who signed in.
type login struct {
	user string
	at   time.Time
}

// recordsAfter reads a file from its end back to the first record that is not after a microsecond; oldest first.
func recordsAfter(f io.ReadSeeker, after int64) ([]login, error) {
	size, at, wide := layout()
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return nil, err
	}
	var found []login
	record := make([]byte, size)
	for n := end/int64(size) - 1; n >= 0; n-- {
		if _, err := f.Seek(n*int64(size), io.SeekStart); err != nil {
			return nil, err
		}
		if _, err := io.ReadFull(f, record); err != nil {
			return nil, err
		}
		seconds := int64(binary.NativeEndian.Uint32(record[at:]))
		micros := int64(binary.NativeEndian.Uint32(record[at+wide:]))
		when := time.Unix(seconds, micros*1000).UTC()
		if when.UnixMicro() <= after {
			break
		}
		if binary.NativeEndian.Uint16(record[recordType:]) == userLogin {
			user, _, _ := bytes.Cut(record[recordUser:recordUser+userBytes], []byte{0})
			found = append(found, login{string(user), when})
		}
	}
	slices.Reverse(found)
	return found, nil
}
