package protocol

import (
	"errors"
	"fmt"
	"time"
)

// Refusal is the service's answer to a request that it did not take.
type Refusal struct {
	Status int
	Code   string `json:"code"`
	Detail string `json:"detail"`
	// After is how long the service asks to wait before the next attempt, 0 for not said.
	After time.Duration `json:"-"`
}

func (r *Refusal) Error() string {
	return fmt.Sprintf("the service refused (%d): %s", r.Status, r.Detail)
}

// RefusedWith reports whether an error is a refusal with one of the codes.
func RefusedWith(err error, codes ...string) bool {
	var r *Refusal
	if !errors.As(err, &r) {
		return false
	}
	for _, code := range codes {
		if r.Code == code {
			return true
		}
	}
	return false
}

// Unreachable is given when no answer of the service came.
type Unreachable struct{ Why error }

func (u *Unreachable) Error() string { return "reaching the service: " + u.Why.Error() }
func (u *Unreachable) Unwrap() error { return u.Why }
