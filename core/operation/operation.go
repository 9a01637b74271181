// Package operation declares every operation of the operators' interface, each once: how it is called over HTTP, which
// right it needs, what the trail calls it, which kind of session may, and what a call may cost. The routes, the rooms,
// the description of the interface, the page of rights and the client all use these values, so that none of them can
// disagree.
package operation

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"rankwarden.example/core/rights"
)

// Base is the path below which all operations are.
const Base = "/api/v1"

// HTTP methods (RFC 9110, 9.3 and RFC 5789).
const (
	get    = "GET"
	post   = "POST"
	put    = "PUT"
	patch  = "PATCH"
	remove = "DELETE"
)

// HTTP status codes of success beside 200 (RFC 9110, 15.3).
const (
	created   = 201
	accepted  = 202
	noContent = 204
)

// Budget is what one call may cost the service. Everybody may spend so much work in a time, whichever sessions and
// tokens they use.
type Budget struct {
	Body int64         // bytes of a request, at most
	Time time.Duration // that a call may take, 0 for a stream, which lasts as long as its reader
	Work int           // units, of which one is a call that reads or writes some rows
}

// The budgets.
var (
	Small  = Budget{Body: 1 << 20, Time: time.Minute, Work: 1}
	Edit   = Budget{Body: 1 << 20, Time: time.Minute, Work: 10}   // what goes through the door
	Whole  = Budget{Body: 1 << 20, Time: time.Minute, Work: 100}  // what works on all devices, such as a preview
	File   = Budget{Body: 15 << 20, Time: time.Minute, Work: 500} // whole files, such as an export of a directory
	Stream = Budget{Body: 1 << 20, Work: 10}
)

// Operation is one operation. Use those that this package declares.
type Operation struct {
	ID      string // in the description of the interface
	Method  string
	Path    string // below [Base]; {name} stands for a part that the caller gives
	Summary string
	Right   rights.Right
	// Action is what the trail calls it; every operation that changes something has one.
	Action string
	// Reads says that it changes nothing, although it is sent with a body.
	Reads bool
	// Gated says that it may alter what devices are told, so that it goes through the door: whoever calls it may be
	// asked to look first, and for a reason.
	Gated bool
	// Decides says that it agrees to what somebody else asked for, or refuses it: whoever calls it has given their
	// password a short while ago, and is no program.
	Decides bool
	// SessionOnly refuses API tokens.
	SessionOnly bool
	Budget      Budget
	Status      int // of success, 200 when 0
}

var all []*Operation

// declare adds an operation to those that there are. What is missing, or there twice, ends the program at its start.
func declare(o Operation) *Operation {
	if err := o.check(); err != nil {
		panic(err)
	}
	for _, other := range all {
		if other.ID == o.ID || other.Method == o.Method && other.Path == o.Path {
			panic(fmt.Errorf("the operations %s and %s are declared alike", other.ID, o.ID))
		}
	}
	all = append(all, &o)
	return &o
}

func (o Operation) check() error {
	switch {
	case o.ID == "" || o.Method == "" || !strings.HasPrefix(o.Path, "/") || o.Summary == "":
		return fmt.Errorf("the operation %q lacks its identifier, method, path or summary", o.ID)
	case o.Right == "":
		return fmt.Errorf("the operation %s does not say which right it needs", o.ID)
	case o.Changes() && o.Action == "":
		return fmt.Errorf("the operation %s does not say what it is called on the trail", o.ID)
	case o.Budget.Body == 0 || o.Budget.Work == 0:
		return fmt.Errorf("the operation %s has no budget", o.ID)
	}
	return nil
}

// All lists the operations in the order of their declaration.
func All() []*Operation { return all }

// Changes reports whether a call changes something.
func (o Operation) Changes() bool { return o.Method != get && !o.Reads }

// Name is what a refused attempt is called on the trail.
func (o Operation) Name() string {
	if o.Action != "" {
		return o.Action
	}
	return o.ID
}

// Pattern is the whole path, with {name} where the caller gives a part.
func (o Operation) Pattern() string { return Base + o.Path }

// URL is the path of a call: parts take the places of {name} in order, escaped. Too few or too many are a mistake of
// the program, and panic.
func (o Operation) URL(parts ...string) string {
	segments := strings.Split(o.Pattern(), "/")
	for i, s := range segments {
		if strings.HasPrefix(s, "{") {
			segments[i], parts = url.PathEscape(parts[0]), parts[1:]
		}
	}
	if len(parts) > 0 {
		panic(fmt.Sprintf("the operation %s is called with more parts than %s has", o.ID, o.Path))
	}
	return strings.Join(segments, "/")
}
