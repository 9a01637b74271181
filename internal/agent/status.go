package agent

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"rankwarden.example/internal/kit/atomicfile"
)

// Status is what anybody who is signed in to the device may know of the agent. It holds no secret.
type Status struct {
	Device  string    `json:"device"` // name
	Service string    `json:"service"`
	Help    string    `json:"help,omitempty"` // what somebody who is locked out should do, as the organisation says
	At      time.Time `json:"at"`             // of the latest exchange, by the device's clock
	// HeardAt is when the service answered last; nil since the agent started for never.
	HeardAt  *time.Time `json:"heard_at"`
	Trouble  string     `json:"trouble,omitempty"` // why the latest exchange failed
	Accepted bool       `json:"accepted"`
	Desired  int64      `json:"desired"` // number of the desired state, 0 for none
	Reported int64      `json:"reported"`
	Asked    string     `json:"asked,omitempty"` // the latest check-in by hand that was carried out
}

// askFile is where somebody at the device asks for an exchange.
const askFile = "check-in"

// ReadStatus reads what an agent told last.
func ReadStatus(path string) (Status, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return Status{}, fmt.Errorf("the agent has told nothing in %s; is it running?", path)
	}
	var s Status
	if err == nil {
		err = json.Unmarshal(data, &s)
	}
	if err != nil {
		return s, fmt.Errorf("status of the agent: %s: %w", path, err)
	}
	return s, nil
}

// tellStatus writes what anybody at the device may know. The device is kept without it, too.
func (a *Agent) tellStatus(trouble error) {
	if a.StatusFile == "" {
		return
	}
	now := a.Clock.Now().UTC()
	if trouble == nil {
		a.heard = &now
	}
	s := Status{Device: a.journal.Name, Service: a.Service, Help: a.journal.Help, At: now, HeardAt: a.heard,
		Accepted: a.accepted, Desired: a.journal.Desired.Number, Asked: a.takeAsk()}
	if trouble != nil {
		s.Trouble = trouble.Error()
	}
	if a.journal.Last != nil {
		s.Reported = a.journal.Last.Desired.Number
	}
	data, err := json.MarshalIndent(s, "", "  ")
	if err == nil {
		err = os.MkdirAll(filepath.Dir(a.StatusFile), 0o755)
	}
	if err == nil {
		err = atomicfile.Write(a.StatusFile, append(data, '\n'), 0o644)
	}
	if err != nil {
		a.Log.Warn("the status for people at the device could not be written", "error", err)
	}
}

// takeAsk is the latest check-in that somebody asked for by hand, empty where nobody did since the agent started. It
// stays until the next one, so that whoever asked sees the answer, whatever the agent exchanges meanwhile.
func (a *Agent) takeAsk() string {
	path := filepath.Join(a.Dir, askFile)
	if data, err := os.ReadFile(path); err == nil {
		_ = os.Remove(path) // one that stays is answered again, which harms nobody
		a.byHand = string(data)
	}
	return a.byHand
}

// AskCheckIn asks the agent that keeps a directory to exchange now; the answer names the same word, see [Status.Asked].
func AskCheckIn(dir, word string) error {
	// Whole at once: the agent sees the file as soon as it is there.
	if err := atomicfile.Write(filepath.Join(dir, askFile), []byte(word), 0o600); err != nil {
		return fmt.Errorf("asking the agent: %w", err)
	}
	return nil
}
