// Package transport sends messages to other systems: as CloudEvents over HTTP, as syslog, and as mail. It keeps
// nothing, and connects to no address that the operator of the service did not permit.
package transport

import (
	"context"
	"encoding/json"
	"time"
)

// Message is one thing to tell.
type Message struct {
	ID      string // the same at each attempt, so that the receiver can tell a repetition
	Kind    string // such as finding_opened
	At      time.Time
	Subject string // name of the device, rollout, policy or person that it is about
	Words   string // one sentence
	Link    string // page of the console
	Line    string // what syslog says instead of the sentence, empty for the same
	Urgent  bool
	Data    json.RawMessage
}

// Sender sends messages to one receiver.
type Sender interface {
	// Send sends messages in order, and gives how many the receiver took. The error says why it did not take the next;
	// it is a [*Rejected] where the receiver will never take it.
	Send(ctx context.Context, list []Message) (sent int, err error)
}

// Rejected is the error for a message that its receiver will never take.
type Rejected struct{ Why string }

func (r *Rejected) Error() string { return "the receiver rejected it: " + r.Why }

// patience is how long connecting, and each message, may take.
const patience = 10 * time.Second
