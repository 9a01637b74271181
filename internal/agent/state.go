package agent

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
	"rankwarden.example/internal/protocol"
)

// memory is what the agent keeps on disk, in a file of mode 0600.
type memory struct {
	Key     ed25519.PrivateKey `json:"key"`
	Root    string             `json:"root"` // fingerprint of the root key it trusts
	Device  string             `json:"device"`
	KeyList protocol.KeyList   `json:"key_list"`
	Epoch   int64              `json:"epoch"` // of its writes
	Seq     int64              `json:"seq"`   // of its latest write

	Desired  drift.Stamp    `json:"desired"`
	Asked    protocol.Asked `json:"asked"`
	Bindings Bindings       `json:"bindings"` // which account belongs to which key
	Fights   fights         `json:"fights"`   // what had to be put right lately

	Events   []drift.Event `json:"events"`    // that the service has not stored yet, oldest first
	EventSeq int64         `json:"event_seq"` // of the latest event

	Order   int64                  `json:"order"`   // number of the latest order that was begun
	Begun   *protocol.Order        `json:"begun"`   // the one that is being carried out
	Results []protocol.OrderResult `json:"results"` // that the service has not stored yet, by number

	Deposit   int64                `json:"deposit"`   // number of the latest deposit that was begun, in the epoch
	Rotations map[string]*rotating `json:"rotations"` // by target
	Waiting   []waitingOrder       `json:"waiting"`   // orders to change passwords, by number
	SignIns   int64                `json:"sign_ins"`  // number of the latest sign-in that was looked at
	Nonce     string               `json:"nonce"`     // of a new epoch that was asked for
	Lacking   bool                 `json:"lacking"`   // the service may lack deposits of earlier epochs

	Last    *drift.Report `json:"last"`    // the latest report that the service has stored
	Pending *pending      `json:"pending"` // a report that may or may not have arrived
	Aside   string        `json:"aside"`   // digest of a report that the service refuses for good
	Name    string        `json:"name"`    // that was reported last
}

// pending is a report on its way, kept until the service said that it is stored.
type pending struct {
	Request string                 `json:"request"` // signed; sent again as it is, so that a repeat is known as one
	SentAt  time.Time              `json:"sent_at"`
	Report  drift.Report           `json:"report"`
	Results []protocol.OrderResult `json:"results"` // that went with it
}

const memoryFile = "agent.json"

func loadMemory(dir string) (memory, error) {
	var m memory
	data, err := os.ReadFile(filepath.Join(dir, memoryFile))
	if errors.Is(err, os.ErrNotExist) {
		key, err := protocol.NewKey()
		return memory{Key: key.Private, Epoch: 1}, err
	}
	if err != nil {
		return m, fmt.Errorf("agent state: %w", err)
	}
	if err := json.Unmarshal(data, &m); err != nil {
		return m, fmt.Errorf("agent state: %s cannot be read: %w; move it away to enrol anew", filepath.Join(dir, memoryFile), err)
	}
	return m, nil
}

// errKept is given when what the agent must remember could not be written; it goes no further then.
var errKept = errors.New("agent state")

// save keeps what the agent must remember; after a crash there is what was kept before, or this.
func (a *Agent) save() error {
	data, err := json.Marshal(a.memory)
	sum := sha256.Sum256(data)
	if err == nil && sum != a.saved { // a look at which nothing happened writes nothing
		err = a.Write(filepath.Join(a.Dir, memoryFile), data, 0o600)
	}
	if err != nil {
		return fmt.Errorf("%w: %w", errKept, err)
	}
	a.saved = sum
	return nil
}
