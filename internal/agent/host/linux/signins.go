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

	"github.com/fsnotify/fsnotify"

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

// SignIns implements [host.Host]. The number of a sign-in is the microsecond in which it was written.
func (h *Host) SignIns(ctx context.Context, after int64) ([]host.SignIn, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	f, err := os.Open(wtmpFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil // this device keeps no record, see wtmp(5)
	}
	if err != nil {
		return nil, fmt.Errorf("reading sign-ins: %w", err)
	}
	defer f.Close()
	d, err := readDatabase()
	if err != nil {
		return nil, err
	}
	records, err := recordsAfter(f, after)
	if err != nil {
		return nil, fmt.Errorf("reading sign-ins: %w", err)
	}
	var found []host.SignIn
	for _, r := range records {
		account, name := principal.SID{}, "" // of nobody who is there now
		i := slices.IndexFunc(d.people, func(p person) bool {
			return d.regular(p) && p.name[:min(len(p.name), userBytes)] == r.user
		})
		if i >= 0 {
			account = personSID(d.people[i].uid)
		} else if _, local := d.named(r.user); !local {
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

// Watch implements [host.Host].
func (h *Host) Watch() <-chan struct{} { return h.watch }

// listen tells of changes of the files that the system writes when somebody signs in or gives a wrong password, until
// the context ends.
func (h *Host) listen(ctx context.Context) error {
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return fmt.Errorf("watching for sign-ins: %w", err)
	}
	tallies := readLockout().dir
	if err := os.MkdirAll(tallies, 0o755); err != nil {
		return fmt.Errorf("watching for locked accounts: %w", err)
	}
	if err := w.Add(tallies); err != nil {
		return fmt.Errorf("watching for locked accounts: %w", err)
	}
	_ = w.Add(wtmpFile) // a device may keep none
	go func() {
		defer w.Close()
		for {
			select {
			case <-ctx.Done():
				return
			case e := <-w.Events:
				if e.Name == wtmpFile && (e.Has(fsnotify.Rename) || e.Has(fsnotify.Remove)) {
					_ = w.Add(wtmpFile) // another file took its place
				}
				select {
				case h.watch <- struct{}{}:
				default: // it was told already
				}
			case <-w.Errors: // what was missed is seen at the next look
			}
		}
	}()
	return nil
}
