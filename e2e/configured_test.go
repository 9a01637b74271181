package e2e

import (
	"io"
	"path/filepath"
	"testing"
	"time"

	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/budget"
)

// configured is a service that was not started yet.
func configured(t *testing.T, url string) *service {
	s := &service{t: t, clock: &clock{}, devices: agent.SystemClock{}, log: io.Discard}
	s.config = app.Config{
		Listen:       "127.0.0.1:0",
		Database:     url,
		Keys:         filepath.Join(t.TempDir(), "keys.json"),
		EscrowKeys:   filepath.Join(t.TempDir(), "escrow.json"),
		Organisation: "Skerry Line",
		Interval:     time.Minute,
		Now:          s.clock.now,
		RevealBudget: app.DefaultBudget,
		Patience:     20 * time.Second,
		// Hashing was half of what the tests cost; the commands that they start hash in full.
		PasswordMemory: 64,
		Refused:        budget.Size{Units: 10_000, Refill: time.Minute}, // tests try every operation
	}
	return s
}
