package protocol

import (
	"encoding/json"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rotation"
)

// Deposit is a new password, sealed, before it is set. Numbers count a device's deposits within an
// epoch, from 1; each is used once.
type Deposit struct {
	Epoch      int64           `json:"epoch"`
	Number     int64           `json:"number"`
	Target     principal.Ref   `json:"target"`
	Account    principal.SID   `json:"account"`
	NameBefore string          `json:"name_before"`
	NameAfter  string          `json:"name_after"`
	Reason     rotation.Reason `json:"reason"`
	Desired    drift.Stamp     `json:"desired"` // the desired state whose rule asks for it
	Sealed     []SealedCopy    `json:"sealed"`  // to the escrow key first, then to the recovery key if there is one
}

// SealedCopy is a password, sealed to one key.
type SealedCopy struct {
	Key   int64  `json:"key"` // its number
	Bytes []byte `json:"bytes"`
}

// Digest tells one deposit from another of the same number.
func (d Deposit) Digest() string {
	data, _ := json.Marshal(d) // plain values, which always marshal
	return Digest(data)
}

// Confirm says that the password of a deposit is the one that opens the account.
type Confirm struct {
	Epoch  int64 `json:"epoch"`
	Number int64 `json:"number"`
}

// DepositAnswer says that a deposit or its confirmation is durable.
type DepositAnswer struct {
	Time   time.Time `json:"time"`
	Number int64     `json:"number"`
}

// DepositMarks are the highest numbers, within the epoch of a check-in, of deposits and of confirmed ones.
type DepositMarks struct {
	Latest    int64 `json:"latest"` // taken by the device; stored by the service
	Confirmed int64 `json:"confirmed"`
}

// MaxEpoch is the highest epoch that a device can come back with, so that those after it are numbers of the protocol
// too. A device that began a new one each second would need 30,000 years.
const MaxEpoch = 1 << 40

// EpochRequest asks for a new epoch: the device came back from a snapshot, and its numbers were used.
type EpochRequest struct {
	Held  int64  `json:"held"`  // the epoch it comes back with
	Nonce string `json:"nonce"` // the same when it asks again
}

// EpochAnswer gives the device its new epoch, in which all of its numbers begin at 1.
type EpochAnswer struct {
	Time  time.Time `json:"time"`
	Epoch int64     `json:"epoch"`
}
