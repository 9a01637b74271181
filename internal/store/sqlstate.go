package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"net"
	"strings"

	"github.com/jackc/pgx/v5/pgconn"
)

// Fault says what an error of the database means for whoever asked.
type Fault string

// The faults. Every SQL state belongs to exactly one.
const (
	NoFault    Fault = ""
	Gone       Fault = "gone"        // the database cannot be reached, shuts down, or did not answer in time
	ReadOnly   Fault = "read_only"   // it takes no writes: a standby, or set to be read only
	Conflict   Fault = "conflict"    // somebody else holds what is needed, or changed it; trying again helps
	NoRoom     Fault = "no_room"     // disk, memory or connections are used up
	OurMistake Fault = "our_mistake" // the statement or the data are wrong; trying again does not help
)

// states are SQL states by their beginning (appendix A of the manual of PostgreSQL); the longest that fits counts.
var states = map[string]Fault{
	"08": Gone, "57P": Gone, "57014": Gone, "25P03": Gone, "25P04": Gone, "58": Gone, "F0": Gone,
	"25006": ReadOnly,
	"40":    Conflict, "55P03": Conflict, "55006": Conflict,
	"53": NoRoom, "54": OurMistake,
}

// FaultOf classes an error. An error that is none of the database's is [NoFault].
func FaultOf(err error) Fault {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		for n := len(pg.Code); n > 0; n-- {
			if fault, known := states[pg.Code[:n]]; known {
				return fault
			}
		}
		return OurMistake
	}
	var network net.Error
	var connect *pgconn.ConnectError
	switch {
	case err == nil:
		return NoFault
	case errors.As(err, &network), errors.As(err, &connect), errors.Is(err, io.ErrUnexpectedEOF),
		errors.Is(err, io.EOF),
		errors.Is(err, driver.ErrBadConn), errors.Is(err, context.DeadlineExceeded), pgconn.SafeToRetry(err),
		strings.Contains(err.Error(), "conn closed"):
		return Gone
	}
	return NoFault
}

// IsUnavailable reports whether an error lies in the database and not in what it was asked: the same may succeed later.
func IsUnavailable(err error) bool {
	switch FaultOf(err) {
	case Gone, ReadOnly, Conflict, NoRoom:
		return true
	}
	return false
}

// WhyNoWrites says why a database did not take a write, in words.
func WhyNoWrites(err error) string {
	switch FaultOf(err) {
	case ReadOnly:
		return "it is a standby, or read only; name the one that leads"
	case NoRoom:
		return "it has no room left: " + err.Error()
	case Gone, Conflict:
		if errors.Is(err, context.DeadlineExceeded) {
			return "it does not finish a write in time"
		}
		return "it does not answer"
	}
	return err.Error()
}
