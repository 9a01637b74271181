//go:build linux

package linux

import (
	"context"
	"time"

	"rankwarden.example/internal/wire/protocol"
)

// last is what was read of the system last. The lock of the host is held over it.
type last struct {
	database database
	sudoers  sudoers
	polkit   []polkitRule
	facts    protocol.Facts // without the name
	rules    rules
	modules  map[string]bool        // of PAM, whether the device has them
	tallies  string                 // what the files of wrong passwords were like
	wrong    map[string][]time.Time // wrong passwords that count, by the name of the account
	// when somebody signed in at a terminal last, by the name
	atTerminal map[string]time.Time
	log        struct {
		size int64     // of the log of signing in, when it was read
		at   time.Time // when the journal was read
	}
	uses map[string][]string // of services and tasks, by the name of the account
}

// accounts is who there is.
func (h *Host) accounts() (database, error) {
	if !h.read.due(partPeople) {
		return h.last.database, nil
	}
	d, err := readDatabase()
	if err != nil {
		h.read.changed(partPeople)
		return d, err
	}
	h.last.database = d
	return d, nil
}

// sudoers are who may become root by sudo(8) and, read with them, by polkit(8).
func (h *Host) sudoers(ctx context.Context) (sudoers, error) {
	if !h.read.due(partPowers) {
		return h.last.sudoers, nil
	}
	s, err := h.readSudoers(ctx)
	if err != nil {
		h.read.changed(partPowers)
		return s, err
	}
	h.last.sudoers, h.last.polkit = s, readPolkit()
	return s, nil
}

// polkit are the administrators of polkit(8), as read with [Host.sudoers].
func (h *Host) polkit() []polkitRule { return h.last.polkit }
