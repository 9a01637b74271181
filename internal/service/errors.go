package service

import (
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/store"
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
	hidden   bool             // the device exists, but the operator may not know
	Retry    time.Duration    // after which it may be tried again, 0 for not said
}

func (e *Error) Error() string { return e.Message }

func failf(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// at is the error with the field of the request that it is about.
func (e Error) at(place string) *Error { e.Place = place; return &e }

// asked is the error about a field of the address.
func (e Error) asked() *Error { e.Query = true; return &e }

// code is the error with a name by which programs tell it apart.
func (e Error) code(code string) *Error { e.Code = code; return &e }

// named turns the store's errors into words about one thing.
func named(err error, kind, name string) error {
	switch {
	case errors.Is(err, store.ErrNotFound):
		return failf(NotFound, "there is no %s %q; check the name, or list them", kind, name)
	case errors.Is(err, store.ErrExists):
		return failf(Conflict, "there is a %s %q already; choose another name, or change that one", kind, name)
	case errors.Is(err, store.ErrStale):
		return stale(kind, name)
	case errors.Is(err, store.ErrInUse):
		return failf(Conflict, "the %s %q is still in use", kind, name)
	}
	return err
}

func stale(kind, name string) *Error {
	return failf(Stale, "the %s %q was changed by somebody else since you read it; read it again, and repeat your change on what it is now", kind, name)
}
