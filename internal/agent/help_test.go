package agent

import (
	"context"
	"errors"
	"log/slog"
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/journal"
)

// shows is a host that says a text, or fails.
type shows struct {
	host.Host
	fails error
	said  []string
}

func (s *shows) ShowHelp(_ context.Context, text string) error {
	s.said = append(s.said, text)
	return s.fails
}

// A text that the system could not show is tried again at every exchange; one that it shows is not written twice.
func TestHelpIsShownOnceAndTriedAgain(t *testing.T) {
	h := &shows{}
	a := &Agent{Options: Options{Host: h, Log: slog.New(slog.DiscardHandler)}, journal: &journal.Journal{}}
	for range 2 {
		a.takeHelp(t.Context(), "call 4711")
	}
	h.fails = errors.New("the disk is full")
	for range 2 {
		a.takeHelp(t.Context(), "call 4712")
	}
	h.fails = nil
	for range 2 {
		a.takeHelp(t.Context(), "call 4712")
	}
	assert.Equal(t, []string{"call 4711", "call 4712", "call 4712", "call 4712"}, h.said)
	assert.Equal(t, "call 4712", a.journal.Help)
}
