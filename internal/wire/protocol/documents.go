package protocol

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

// DesiredFormat is the format of a desired state.
const DesiredFormat = "rankwarden.desired/1"

// DesiredState is what one device is to have. Its digest is [Digest] of the exact signed payload.
type DesiredState struct {
	Format string `json:"format"`
	Device string `json:"device"` // id
	Name   string `json:"name"`
	Epoch  int64  `json:"epoch"`
	Number int64  `json:"number"`
	DesiredContent
}

// DesiredContent is what a device is to have: the units, and the identifiers of the people and groups of the
// directory that they name.
type DesiredContent struct {
	Settings  []unit.Setting    `json:"settings"`  // sorted by unit
	Directory []principal.Entry `json:"directory"` // sorted by reference
	// GiveBack is what a device gives back once of what it took away.
	GiveBack []GiveBack `json:"give_back,omitempty"`
	// Waived is what a device leaves alone, by setting and subject.
	Waived []Waived `json:"leave,omitempty"`
	// Warrants are rights for a time, by identifier.
	Warrants []Warrant `json:"warrants,omitempty"`
}

// Warrant has a device make a principal a member of a local group until a time, in service time, and take the
// membership away by itself.
type Warrant struct {
	ID string `json:"id"`
	warrant.Warrant
	EndSessions bool `json:"end_sessions,omitempty"` // of the principal, at the end
}

// Running are the warrants of a desired state that run at a time.
func (c DesiredContent) Running(at time.Time) warrant.Running {
	list := make([]warrant.Warrant, len(c.Warrants))
	for i, w := range c.Warrants {
		list[i] = w.Warrant
	}
	return warrant.At(list, at)
}

// Waived is a difference that a device leaves alone until a time.
type Waived struct {
	Unit    unit.ID   `json:"unit"`
	Subject string    `json:"subject"` // as in the finding; empty for the setting itself
	Until   time.Time `json:"until"`   // in service time
}

// GiveBack has a device give back what it took away of some settings since a time, as far as nobody altered it since.
type GiveBack struct {
	Since time.Time `json:"since"` // in service time; it names the give-back, which is carried out once
	Units []unit.ID `json:"units"` // sorted
}

// Paths of the device protocol.
const (
	PathPrefix  = "/device/v1/"
	PathKeys    = "/device/v1/keys"
	PathEnrol   = "/device/v1/enrol"
	PathCheckIn = "/device/v1/check-in"
	PathWait    = "/device/v1/wait"
	PathDeposit = "/device/v1/deposit"
	PathConfirm = "/device/v1/confirm"
	PathEpoch   = "/device/v1/epoch"
)

// ContentType of signed requests and answers, RFC 7515 section 9.2.1.
const ContentType = "application/jose"

// Limits of the protocol.
const (
	MaxRequest = 1 << 20          // bytes of a request
	MaxSkew    = 10 * time.Minute // between the time in a request and the service's
	MaxWait    = 50 * time.Second // for which a request is held open
	MaxEvents  = 200              // events in one check-in
)

// Facts are what a device says of itself.
type Facts struct {
	Name      string `json:"name"`
	Serial    string `json:"serial,omitempty"`
	Model     string `json:"model,omitempty"`
	Platform  string `json:"platform"`
	OSVersion string `json:"os_version,omitempty"`
	OSBuild   int    `json:"os_build,omitempty"`
	Agent     string `json:"agent,omitempty"` // version of the program
}

// Keys is what a device reads before anything else: the key list, signed by the root, and the
// service's time, a [ServiceTime] signed by a key of the list.
type Keys struct {
	KeyList string `json:"key_list"`
	Time    string `json:"time"`
}

// ServiceTime says what time it is for the service.
type ServiceTime struct {
	Time time.Time `json:"time"`
}

// EnrolRequest asks for a place in the fleet. It is signed with the device's own new key, which is
// embedded in the header.
type EnrolRequest struct {
	TokenID string `json:"token_id"`
	Secret  string `json:"secret"`
	Facts   Facts  `json:"facts"`
}

// EnrolAnswer tells a device who it is. A device that claims to be one that is enrolled already
// waits until an operator accepts it.
type EnrolAnswer struct {
	Device    string `json:"device"`
	Accepted  bool   `json:"accepted"`
	Interval  int    `json:"interval_seconds"`
	DeviceSeq int64  `json:"last_sequence"` // of this device's writes, 0 for a new one
}

// CheckIn is one exchange. Report is there only when something changed since the last one.
type CheckIn struct {
	Desired drift.Stamp   `json:"desired"`  // the newest the device holds
	KeyList int64         `json:"key_list"` // the newest the device holds
	Epoch   int64         `json:"epoch"`    // of the device; grows when it comes back from a snapshot
	Report  *drift.Report `json:"report,omitempty"`
	Orders  int64         `json:"orders"`            // number of the latest order the device has begun
	Deposit DepositMarks  `json:"deposits"`          // the device's own
	Results []OrderResult `json:"results,omitempty"` // of orders, that the service has not stored yet
	Events  []drift.Event `json:"events,omitempty"`  // that the service has not stored yet, at most [MaxEvents]
	// Life is another one after each start of the agent. Two that come back in turn are two machines with one key.
	Life string `json:"life,omitempty"`
	// Trouble is what keeps the agent from its work, such as a full disk, so that it can tell nothing else.
	Trouble string `json:"trouble,omitempty"`
}

// Answer answers a check-in. Desired and KeyList are signed documents, empty when the device has
// the newest.
type Answer struct {
	Time     time.Time `json:"time"`
	Interval int       `json:"interval_seconds"`
	Accepted bool      `json:"accepted"`
	Help     string    `json:"help,omitempty"` // what somebody who is locked out should do; for people at the device
	Desired  string    `json:"desired,omitempty"`
	KeyList  string    `json:"key_list,omitempty"`
	Stored   int64     `json:"stored,omitempty"`  // sequence of the report that is now durable
	Orders   []string  `json:"orders,omitempty"`  // signed, by number
	Results  int64     `json:"results,omitempty"` // number of the last order whose result is now durable
	Events   int64     `json:"events,omitempty"`  // number of the last event that is now durable

	// Deposits are what the service has, where that is not what the device said: it gives again what
	// the service lacks.
	Deposits *DepositMarks `json:"deposits,omitempty"`
}

// WaitRequest is held open until something is waiting for the device, or time is up.
type WaitRequest struct {
	Desired drift.Stamp `json:"desired"`
	KeyList int64       `json:"key_list"`
	Orders  int64       `json:"orders"`
}

// WaitAnswer says whether to check in now. It may bring the desired state that waits, so that the check-in can say at
// once what became of it.
type WaitAnswer struct {
	Time    time.Time `json:"time"`
	Ready   bool      `json:"ready"`
	Desired string    `json:"desired,omitempty"` // signed, as in [Answer]
}

// Token is an enrolment token: who made it, a secret, and the fingerprint of the root key that the
// device must meet before it sends anything.
type Token struct {
	ID, Secret, RootFingerprint string
}

func (t Token) String() string { return "rwe." + t.ID + "." + t.Secret + "." + t.RootFingerprint }

// ParseToken reads what [Token.String] writes.
func ParseToken(s string) (Token, error) {
	parts := strings.Split(strings.TrimSpace(s), ".")
	if len(parts) != 4 || parts[0] != "rwe" || parts[1] == "" || parts[2] == "" || parts[3] == "" {
		return Token{}, fmt.Errorf(
			"%w: an enrolment token has four parts, rwe.ID.SECRET.FINGERPRINT; copy it whole",
			ErrMalformed,
		)
	}
	return Token{parts[1], parts[2], parts[3]}, nil
}

// Asking is the JSON of a [DesiredContent], taken apart once for all devices that are asked for the same.
type Asking struct {
	Settings  json.RawMessage `json:"settings"`
	Directory json.RawMessage `json:"directory"`
	GiveBack  json.RawMessage `json:"give_back,omitempty"`
	Leave     json.RawMessage `json:"leave,omitempty"`
	Warrants  json.RawMessage `json:"warrants,omitempty"`
}

// ReadAsking takes it apart.
func ReadAsking(asked string) (Asking, error) {
	var a Asking
	if err := json.Unmarshal([]byte(asked), &a); err != nil {
		return a, fmt.Errorf("desired state: %w", err)
	}
	return a, nil
}

// Of is the exact payload of a device's desired state that asks for it.
func (a Asking) Of(device, name string, epoch, number int64) ([]byte, error) {
	return json.Marshal(struct {
		Format string `json:"format"`
		Device string `json:"device"`
		Name   string `json:"name"`
		Epoch  int64  `json:"epoch"`
		Number int64  `json:"number"`
		Asking
	}{DesiredFormat, device, name, epoch, number, a})
}
