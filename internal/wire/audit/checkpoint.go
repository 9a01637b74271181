package audit

import (
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/internal/wire/protocol"
)

// CheckpointFormat names the form of a checkpoint.
const CheckpointFormat = "rankwarden/checkpoint/v1"

// Checkpoint says how far the trail went at a time, and with which hash it ended.
type Checkpoint struct {
	Format       string    `json:"format"`
	Organisation string    `json:"organisation"`
	Seq          int64     `json:"seq"`
	Hash         []byte    `json:"hash"`
	At           time.Time `json:"at"`
}

// Proof is a checkpoint as it leaves the service: signed (JWS, RFC 7515), with the key list that names the key, which
// the root key signed.
type Proof struct {
	Checkpoint string `json:"checkpoint"`
	KeyList    string `json:"key_list"`
}

// Prove signs a checkpoint.
func Prove(c Checkpoint, key protocol.Key, keyList string) (Proof, error) {
	c.Format, c.At = CheckpointFormat, c.At.UTC().Truncate(time.Second)
	document, err := protocol.Sign(key, protocol.Header{KeyID: key.ID, Time: c.At}, c, false)
	return Proof{document, keyList}, err
}

// Open checks that the root key with the given fingerprint stands behind a checkpoint, and reads it.
func (p Proof) Open(root string) (c Checkpoint, err error) {
	list, err := protocol.OpenKeyList(p.KeyList, root)
	if err != nil {
		return c, fmt.Errorf("the key list of a checkpoint: %w", err)
	}
	signed, err := protocol.Parse(p.Checkpoint)
	if err != nil {
		return c, fmt.Errorf("a checkpoint: %w", err)
	}
	key, known := list.Signing(signed.Header.KeyID)
	if !known {
		return c, errors.New("a checkpoint: it was signed with a key that its key list does not name")
	}
	payload, err := signed.Verify(key)
	if err != nil {
		return c, fmt.Errorf("a checkpoint: %w", err)
	}
	if err := json.Unmarshal(payload, &c); err != nil || c.Format != CheckpointFormat {
		return c, fmt.Errorf("a checkpoint: it is no document of the form %s", CheckpointFormat)
	}
	return c, nil
}
