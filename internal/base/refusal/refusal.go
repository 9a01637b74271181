// Package refusal has the errors that are meant for the caller, an operator or a device: what is wrong and the way out,
// with a kind that the network turns into a status.
package refusal

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// Kind is the kind of a refusal.
type Kind int

// The kinds.
const (
	Invalid      Kind = iota // what was sent cannot be used
	NotFound                 // what was named does not exist
	Conflict                 // it exists already, or is in use
	Stale                    // it was changed by somebody else meanwhile
	Unauthorised             // nobody knows who asks
	Forbidden                // who asks may not
	TooMany                  // too many attempts
	Unavailable              // not here, or not now
)

// Error is a refusal: what is wrong and the way out, in words for the operator or the device.
type Error struct {
	Kind     Kind
	Code     string // short stable name, where a program must tell it apart
	Message  string
	Place    string           // the field of the request, when it is one
	Query    bool             // the field is in the address, not in the body
	Problems []policy.Problem // of a document
	Hidden   bool             // the device exists, but the operator may not know
	Retry    time.Duration    // after which it may be tried again, 0 for not said
	Preview  any              // what it would do, where whoever asks must look first
	Waits    string           // the change, or what is held, that waits for somebody now
}

func (e *Error) Error() string { return e.Message }

// New makes a refusal of a kind and a sentence.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// At is the refusal with the field of the request that it is about.
func (e Error) At(place string) *Error { e.Place = place; return &e }

// Asked is the refusal about a field of the address.
func (e Error) Asked() *Error { e.Query = true; return &e }

// WithCode is the refusal with a name by which programs tell it apart.
func (e Error) WithCode(code string) *Error { e.Code = code; return &e }

// After is the refusal with the time after which it may be tried again.
func (e Error) After(retry time.Duration) *Error { e.Retry = retry; return &e }

// Hiding is the refusal of something that exists, but that the operator may not know of.
func (e Error) Hiding() *Error { e.Hidden = true; return &e }

// Named turns the store's errors into words about one thing. Other errors, and nil, stay as they are.
func Named(err error, kind, name string) error {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return Missing(kind, name)
	case errors.Is(err, store.ErrExists):
		return New(Conflict, "there is a %s %q already; choose another name, or change that one", kind, name)
	case errors.Is(err, store.ErrStale):
		return New(Stale, "the %s %q was changed by somebody else since you read it; read it again, and repeat your "+
			"change on what it is now", kind, name)
	case errors.Is(err, store.ErrInUse):
		return New(Conflict, "the %s %q is still in use", kind, name)
	}
	return err
}

// Missing says that there is no thing of a name.
func Missing(kind, name string) *Error {
	return New(NotFound, "there is no %s %q; check the name, or list them", kind, name)
}

// Unknown refuses a value that a filter does not know, with the nearest one that it does.
func Unknown[T ~string](field, value string, known []T) error {
	names := make([]string, len(known))
	for i, k := range known {
		names[i] = string(k)
	}
	hint := "it can be " + strings.Join(names, ", ")
	if near := text.Nearest(value, names); near != "" {
		hint = "did you mean \"" + near + "\"?"
	}
	return New(Invalid, "there is no %s %q; %s", field, value, hint).At(field).Asked()
}

// Behind refuses numbers that a device used before, in a form that tells it to begin a new epoch. what names the
// thing with two verbs for number and epoch.
func Behind(what string, number, epoch, lastNumber, lastEpoch int64) error {
	return New(Conflict, what+" was used before, or is behind: the last one is %d of epoch %d. Begin a new epoch",
		number, epoch, lastNumber, lastEpoch).WithCode(protocol.CodeSequenceBehind)
}

// NotLive refuses something to a device that has no place in the fleet now.
func NotLive(state, what string) error {
	return New(Forbidden, "this device is %s and may not %s", state, what).WithCode(protocol.CodeNotLive + state)
}

// BeyondReach refuses an edit that would take effect on devices out of the editor's reach. It says neither how many nor
// which: whoever tries one rule after the other would read from it what they may not see.
func BeyondReach() *Error {
	return New(Forbidden, "this takes effect, or could, on devices that your role does not reach, so nothing was "+
		"changed. Limit it to a group in your reach (within), or ask an owner").
		WithCode("out_of_reach")
}
