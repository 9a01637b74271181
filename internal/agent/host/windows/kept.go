package windows

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/kit/atomicfile"
)

// kept is what the host must remember.
type kept struct {
	// Passwords are when passwords were set. The system tells how old one is, in seconds, so that two questions give
	// times a second apart; what is remembered is the first answer.
	Passwords map[principal.SID]passwordSet `json:"passwords"`
}

// passwordSet is when a password was set, and how many others were seen before it.
type passwordSet struct {
	At   time.Time `json:"at"` // zero until it is asked for again
	Turn int       `json:"turn"`
}

func (p passwordSet) stamp() string { return fmt.Sprintf("%d-%d", p.At.Unix(), p.Turn) }

func keptPath(dir string) string { return filepath.Join(dir, "windows.json") }

func (k *kept) read(path string) error {
	data, err := os.ReadFile(path)
	if err == nil {
		err = json.Unmarshal(data, k)
	}
	if k.Passwords == nil {
		k.Passwords = map[principal.SID]passwordSet{}
	}
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf(
			"host state: %s cannot be read: %w; move it away, the agent then looks at the machine anew",
			path,
			err,
		)
	}
	return nil
}

func (k *kept) write(path string) error {
	data, err := json.Marshal(k)
	if err != nil {
		return err
	}
	if err := atomicfile.Write(path, data, 0o600); err != nil {
		return fmt.Errorf("host state: %w", err)
	}
	return nil
}

// jitter is by how much two answers about the same password may lie apart.
const jitter = 2 * time.Second

// seen takes in how old a password is now, and says whether that is news.
func (k *kept) seen(account principal.SID, user User, now time.Time) (set passwordSet, news bool) {
	was, known := k.Passwords[account]
	at := now.Add(-time.Duration(user.PasswordAge) * time.Second).UTC().Truncate(time.Second)
	if user.PasswordExpired && user.PasswordAge == 0 {
		at = time.Unix(0, 0).UTC() // it must be changed at the next sign-in; the system keeps no time for it
	}
	switch {
	case known && was.At.IsZero():
		set = passwordSet{at, was.Turn}
	case known && at.Sub(was.At).Abs() <= jitter:
		return was, false
	default:
		set = passwordSet{at, was.Turn + 1}
	}
	k.Passwords[account] = set
	return set, true
}
