// Package journal keeps what the agent must remember over a crash: who the device is, what is asked of it, what was
// begun, and what the service has not stored yet. It never holds a password.
package journal

import (
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/protocol"
)

// Journal is what the agent keeps on disk, in a file of mode 0600. Use [Open].
type Journal struct {
	Key     ed25519.PrivateKey `json:"key,omitempty"` // not written where it is sealed
	Sealed  []byte             `json:"sealed_key,omitempty"`
	Root    string             `json:"root"` // fingerprint of the root key it trusts
	Device  string             `json:"device"`
	KeyList protocol.KeyList   `json:"key_list"`
	Epoch   int64              `json:"epoch"` // of its writes
	Seq     int64              `json:"seq"`   // of its latest write

	Desired    drift.Stamp              `json:"desired"`
	Asked      protocol.DesiredContent  `json:"asked"`
	Bindings   map[string]principal.SID `json:"bindings"`   // which account belongs to which key
	Reversions Reversions               `json:"reversions"` // what had to be put right lately

	Counted Counted `json:"counted,omitempty"` // accounts that no policy names
	Made    Made    `json:"made,omitempty"`    // local groups that the device made
	// Granted are memberships by warrant.
	Granted []Granted `json:"granted,omitempty"`
	// Time is service time at the latest look while warrants ran, in case somebody turns the clock back.
	Time time.Time `json:"time,omitzero"`
	// Changing are accounts whose users were told to change their passwords, so that nobody is told twice.
	Changing map[principal.SID]bool `json:"changing,omitempty"`
	Taken    []Taken                `json:"taken,omitempty"`     // what can be given back, oldest first
	GaveBack []time.Time            `json:"gave_back,omitempty"` // the give-backs that were carried out, by their time

	Events   []drift.Event `json:"events"`    // that the service has not stored yet, oldest first
	EventSeq int64         `json:"event_seq"` // of the latest event
	// Sums are of events that are told once an hour, by what happened.
	Sums map[string]Sum `json:"sums,omitempty"`

	Order   int64                  `json:"order"`   // number of the latest order that was begun
	Begun   *protocol.Order        `json:"begun"`   // the one that is being carried out
	Results []protocol.OrderResult `json:"results"` // that the service has not stored yet, by number

	Deposit   int64                `json:"deposit"`   // number of the latest deposit that was begun, in the epoch
	Passwords map[string]*Password `json:"rotations"` // by target
	Waiting   []Order              `json:"waiting"`   // orders to change passwords, by number
	SignIns   int64                `json:"sign_ins"`  // number of the latest sign-in that was looked at
	// LastSignIns are the days on which somebody signed in last, by account.
	LastSignIns map[principal.SID]time.Time `json:"last_sign_ins,omitempty"`
	// UsedOn are the days of the last month on which somebody signed in, by who it was.
	UsedOn map[string][]time.Time `json:"used_on,omitempty"`
	// EpochAt is when the device began its epoch by itself, in service time.
	EpochAt time.Time `json:"epoch_at,omitzero"`
	Nonce   string    `json:"nonce"`   // of a new epoch that was asked for
	Lacking bool      `json:"lacking"` // the service may lack deposits of earlier epochs

	Last    *drift.Report `json:"last"`           // the latest report that the service has stored
	Pending *Pending      `json:"pending"`        // a report that may or may not have arrived
	Aside   string        `json:"aside"`          // digest of a report that the service refuses for good
	Name    string        `json:"name"`           // that was reported last
	Help    string        `json:"help,omitempty"` // what somebody who is locked out should do

	Tell func(drift.Event) `json:"-"` // is told of every event as it is noted; may be nil

	path  string
	write Write
	saved [sha256.Size]byte // digest of what was written last
}

// Sealer seals the device's key to the machine, so that what is kept is of no use on another one.
type Sealer interface {
	Seal(key []byte) ([]byte, error)
	// Unseal fails for what was sealed on another machine.
	Unseal(sealed []byte) ([]byte, error)
}

// Write replaces a file whole and durably.
type Write = func(path string, data []byte, mode os.FileMode) error

// Pending is a report on its way, kept until the service said that it is stored.
type Pending struct {
	Request string                 `json:"request"` // signed; sent again as it is, so that a repeat is known as one
	SentAt  time.Time              `json:"sent_at"`
	Report  drift.Report           `json:"report"`
	Results []protocol.OrderResult `json:"results"` // that went with it
}

// File is what an agent keeps in its directory.
const File = "agent.json"

// ErrOtherMachine is given for what an agent kept on another machine.
var ErrOtherMachine = errors.New("it belongs to another machine, whose key does not open here; to enrol this one, " +
	"move it away and give the agent an enrolment token")

// Open reads what the agent kept in a directory; without anything it begins, with a key of its own. The key is sealed
// to the machine where there is a sealer.
func Open(dir string, write Write, sealer Sealer) (*Journal, error) {
	j := &Journal{Epoch: 1, path: filepath.Join(dir, File), write: write}
	data, err := os.ReadFile(j.path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		key, err := protocol.NewKey()
		if err != nil {
			return nil, err
		}
		j.Key = key.Private
	case err != nil:
		return nil, fmt.Errorf("agent state: %w", err)
	default:
		if err := json.Unmarshal(data, j); err != nil {
			return nil, fmt.Errorf("agent state: %s cannot be read: %w; move it away to enrol anew", j.path, err)
		}
	}
	if err := j.seal(sealer); err != nil {
		return nil, fmt.Errorf("agent state: %s: %w", j.path, err)
	}
	if j.Reversions == nil {
		j.Reversions = Reversions{}
	}
	if j.Passwords == nil {
		j.Passwords = map[string]*Password{}
	}
	return j, nil
}

// Peek reads what an agent kept in a directory, without taking it over; the key may be sealed, and stays so.
func Peek(dir string) (*Journal, error) {
	path := filepath.Join(dir, File)
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%s: no agent has kept anything here", dir)
	}
	j := &Journal{}
	if err == nil {
		err = json.Unmarshal(data, j)
	}
	if err != nil {
		return nil, fmt.Errorf("agent state: %w", err)
	}
	j.Key = nil
	return j, nil
}

// seal opens the key that was sealed, or seals the one that was not.
func (j *Journal) seal(sealer Sealer) (err error) {
	switch {
	case len(j.Sealed) == 0 && sealer != nil:
		j.Sealed, err = sealer.Seal(j.Key)
	case len(j.Sealed) == 0:
	case sealer == nil:
		return ErrOtherMachine
	default:
		key, unsealErr := sealer.Unseal(j.Sealed)
		if unsealErr != nil || len(key) != ed25519.PrivateKeySize {
			return ErrOtherMachine
		}
		j.Key = key
	}
	return err
}

// ErrKept is matched when what the agent must remember could not be written; it goes no further then.
var ErrKept = errors.New("agent state")

// Save keeps what the agent must remember; after a crash there is what was kept before, or this.
func (j *Journal) Save() error {
	written := *j
	if len(j.Sealed) > 0 {
		written.Key = nil
	}
	data, err := json.Marshal(written)
	sum := sha256.Sum256(data)
	if err == nil && sum != j.saved { // a look at which nothing happened writes nothing
		err = j.write(j.path, data, 0o600)
	}
	if err != nil {
		return fmt.Errorf("%w: %w", ErrKept, err)
	}
	j.saved = sum
	return nil
}

// SignedIn remembers the day on which somebody signed in to an account.
func (j *Journal) SignedIn(account principal.SID, at time.Time) {
	if account.IsZero() {
		return
	}
	if j.LastSignIns == nil {
		j.LastSignIns = map[principal.SID]time.Time{}
	}
	if day := inventory.Day(at); day.After(j.LastSignIns[account]) {
		j.LastSignIns[account] = day
	}
}
