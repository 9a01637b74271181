package reconcile

import (
	"fmt"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/agent/host"
)

// readRuns reads once in a pass what runs as local accounts, where the host knows.
func (p *pass) readRuns() (err error) {
	if tells, is := p.host.(host.TellsUse); is && p.runs == nil {
		p.runs, err = tells.Runs(p.ctx)
	}
	return err
}

// runningAs is what runs as an account.
func (p *pass) runningAs(a drift.Account) ([]string, error) {
	if err := p.readRuns(); err != nil {
		return nil, fmt.Errorf("reading what runs as %s: %w", a.Name, err)
	}
	return p.runs[a.SID], nil
}
