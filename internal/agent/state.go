package agent

import (
	"crypto/ed25519"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/wire"
)

// memory is what the agent keeps on disk, in a file of mode 0600.
type memory struct {
	Key     ed25519.PrivateKey `json:"key"`
	Root    string             `json:"root"` // fingerprint of the root key it trusts
	Device  string             `json:"device"`
	KeyList wire.KeyList       `json:"key_list"`
	Epoch   int64              `json:"epoch"` // of its writes
	Seq     int64              `json:"seq"`   // of its latest write

	Desired  drift.Stamp `json:"desired"`
	Asked    wire.Asked  `json:"asked"`
	Bindings Bindings    `json:"bindings"` // which account belongs to which key
	Fights   fights      `json:"fights"`   // what had to be put right lately

	Events   []drift.Event `json:"events"`    // that the service has not stored yet, oldest first
	EventSeq int64         `json:"event_seq"` // of the latest event

	Order   int64              `json:"order"`   // number of the latest order that was begun
	Begun   *wire.Order        `json:"begun"`   // the one that is being carried out
	Results []wire.OrderResult `json:"results"` // that the service has not stored yet, by number

	Last    *drift.Report `json:"last"`    // the latest report that the service has stored
	Pending *pending      `json:"pending"` // a report that may or may not have arrived
}

// pending is a report on its way, kept until the service said that it is stored.
type pending struct {
	Request string       `json:"request"` // signed; sent again as it is, so that a repeat is known as one
	SentAt  time.Time    `json:"sent_at"`
	Report  drift.Report `json:"report"`
}

const memoryFile = "agent.json"

func loadMemory(dir string) (memory, error) {
	var m memory
	data, err := os.ReadFile(filepath.Join(dir, memoryFile))
	if errors.Is(err, os.ErrNotExist) {
		key, err := wire.NewKey()
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

func (m memory) save(dir string) error {
	data, err := json.Marshal(m)
	if err != nil {
		return fmt.Errorf("agent state: %w", err)
	}
	if err := wire.WriteDurably(filepath.Join(dir, memoryFile), data, 0o600); err != nil {
		return fmt.Errorf("agent state: %w", err)
	}
	return nil
}
