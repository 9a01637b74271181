package simulated

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"rankwarden.example/internal/kit/atomicfile"
)

// ReadDisk reads the machine that [Workstation.WriteDisk] wrote; there is none when it is nil.
func ReadDisk(path string) (*Machine, error) {
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("simulated workstation: %w", err)
	}
	m := &Machine{}
	if err := json.Unmarshal(data, m); err != nil {
		return nil, fmt.Errorf("simulated workstation: %s: %w", path, err)
	}
	return m, nil
}

// WriteDisk writes what is kept when the power is off, unless nothing changed since the last time.
func (w *Workstation) WriteDisk(path string) error {
	w.mu.Lock()
	changed := w.dirty
	w.dirty = false
	data, err := json.MarshalIndent(w.m, "", " ")
	w.mu.Unlock()
	if err == nil && changed {
		err = atomicfile.Write(path, data, 0o600)
	}
	if err != nil {
		return fmt.Errorf("simulated workstation: %w", err)
	}
	return nil
}
