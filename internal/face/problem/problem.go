// Package problem makes the problem documents (RFC 9457) that answer every request that was refused or
// failed, on the operators' interface and on the devices'.
package problem

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/policy"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
)

// Problem is the answer to every request that was refused or failed, RFC 9457.
type Problem struct {
	Type     string           `json:"type" doc:"URI of the kind of problem; about:blank when the status says it all"`
	Title    string           `json:"title" doc:"The status in words"`
	Status   int              `json:"status"`
	Detail   string           `json:"detail" doc:"What is wrong and the way out"`
	Code     string           `json:"code,omitempty" doc:"Short stable name, where a program must tell it apart"`
	Errors   []Misfit         `json:"errors,omitempty" doc:"What does not fit in the request, one by one"`
	Problems []policy.Problem `json:"problems,omitempty" doc:"What is wrong with the policy document"`
	Preview  *api.Preview     `json:"preview,omitempty" doc:"What it would do, where you must look first: send its digest with the same request"`
	Waits    string           `json:"waits,omitempty" doc:"The change, or what is held, that waits for somebody now"`

	retry time.Duration // after which it may be tried again, 0 for not said
}

// GetHeaders is asked for by the API library.
func (p *Problem) GetHeaders() http.Header {
	if p.retry <= 0 {
		return nil
	}
	return http.Header{"Retry-After": {strconv.Itoa(int((p.retry + time.Second - 1) / time.Second))}}
}

// Later has whoever is refused try again after a time.
func (p *Problem) Later(after time.Duration) *Problem { p.retry = after; return p }

// Misfit is one thing in a request that does not fit its description.
type Misfit struct {
	Location string `json:"location" doc:"Where, such as body.rank"`
	Message  string `json:"message" doc:"What is wrong there"`
}

func (p *Problem) Error() string { return p.Detail }

// GetStatus is asked for by the API library.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is asked for by the API library.
func (p *Problem) ContentType(string) string { return ContentType }

// ContentType is that of problem documents.
const ContentType = "application/problem+json"

// New makes a problem of a status and a sentence.
func New(status int, detail string) *Problem {
	return &Problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: detail}
}

// FromLibrary makes problems of what the API library finds when it checks a request. Values are
// left out, since they may be secret.
func FromLibrary(status int, message string, errs ...error) huma.StatusError {
	p := New(status, message)
	for _, err := range errs {
		var detail *huma.ErrorDetail
		switch {
		case errors.As(err, &detail):
			p.Errors = append(p.Errors, Misfit{detail.Location, detail.Message})
		case err != nil:
			p.Errors = append(p.Errors, Misfit{"", err.Error()})
		}
	}
	if message == "validation failed" {
		p.Detail = "nothing was stored: " + p.misfits() + ". What each operation takes is described at " +
			"/api/v1/openapi.json"
	}
	return p
}

// misfits names what does not fit, the first ones in words.
func (p *Problem) misfits() string {
	const named = 3
	var words []string
	for _, m := range p.Errors[:min(len(p.Errors), named)] {
		words = append(words, strings.TrimPrefix(strings.TrimPrefix(m.Location, "body.")+": ", ": ")+m.Message)
	}
	if more := len(p.Errors) - named; more > 0 {
		words = append(words, fmt.Sprintf("and %d more", more))
	}
	if len(words) == 0 {
		return "the request does not fit its description"
	}
	return strings.Join(words, "; ")
}

var statuses = map[refusal.Kind]int{
	refusal.Invalid: http.StatusUnprocessableEntity, refusal.NotFound: http.StatusNotFound,
	refusal.Conflict: http.StatusConflict,
	refusal.Stale:    http.StatusPreconditionFailed, refusal.Unauthorised: http.StatusUnauthorized,
	refusal.Forbidden: http.StatusForbidden, refusal.TooMany: http.StatusTooManyRequests,
	refusal.Unavailable: http.StatusServiceUnavailable,
}

// faults say what is wrong with the database.
var faults = map[store.Fault]string{
	store.NoFault:  "the database does not answer in time, and nothing is known to be stored. Try again",
	store.Gone:     "the database does not answer in time, and nothing is known to be stored. Try again",
	store.ReadOnly: "the database takes no writes now, so nothing was stored. Try again",
	store.NoRoom:   "the database has no room left, so nothing was stored. Try again",
	store.Conflict: "somebody else changes the same at this moment, so nothing was stored. Try again",
}

// Of makes a problem of a use case's error. What nobody expected is logged, not shown.
func Of(log *slog.Logger, err error) *Problem {
	var refusal *refusal.Error
	var ready *Problem
	switch {
	case errors.As(err, &ready):
		return ready
	case errors.As(err, &refusal):
		p := New(statuses[refusal.Kind], refusal.Message)
		p.Code, p.Problems, p.retry = refusal.Code, refusal.Problems, refusal.Retry
		if refusal.Place != "" {
			place := "body."
			if refusal.Query {
				place = "query."
			}
			p.Errors = []Misfit{{place + refusal.Place, refusal.Message}}
		}
		return p
	case errors.Is(err, store.ErrCursor), errors.Is(err, store.ErrText):
		return New(http.StatusUnprocessableEntity, err.Error())
	}
	if errors.Is(err, context.DeadlineExceeded) || errors.Is(err, context.Canceled) || store.IsUnavailable(err) {
		log.Warn("the database did not take this", "error", err)
		return New(http.StatusServiceUnavailable, faults[store.FaultOf(err)]).Later(5 * time.Second)
	}
	log.Error("a request failed", "error", err)
	return New(
		http.StatusInternalServerError,
		"the service failed; nothing was stored. Try again, and look into its log if it happens again",
	)
}

// HandleError makes a problem of what Fiber itself refuses, such as a body that is too large.
func HandleError(log *slog.Logger) fiber.ErrorHandler {
	return func(c fiber.Ctx, err error) error {
		var failure *fiber.Error
		p := New(
			http.StatusInternalServerError,
			"the service failed; try again, and look into its log if it happens again",
		)
		switch {
		case !errors.As(err, &failure):
			log.Error("a request failed", "path", c.Path(), "error", err)
		case failure.Code == http.StatusRequestEntityTooLarge:
			p = New(failure.Code, "the request is too large; send less at a time")
			p.Code = "too_large"
		case failure.Code == http.StatusNotFound:
			p = New(failure.Code, "there is nothing at "+c.Path()+"; see /api/v1/openapi.json for what there is")
		case failure.Code == http.StatusMethodNotAllowed:
			p = New(failure.Code, c.Method()+" is not possible at "+c.Path()+"; see /api/v1/openapi.json for what is")
		default:
			p = New(failure.Code, failure.Message)
		}
		return Send(c, p)
	}
}

// Send answers with a problem.
func Send(c fiber.Ctx, p *Problem) error {
	c.Status(p.Status)
	for name, values := range p.GetHeaders() {
		c.Set(name, values[0])
	}
	return c.JSON(p, ContentType)
}
