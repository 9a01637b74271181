package reconcile

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/journal"
)

// lastNotice is how long before an account is disabled that is told again.
const lastNotice = 24 * time.Hour

// count begins to count the grace of accounts that no policy names, and ends it for those that are gone or named now.
// Without the rule nothing is counted.
func (p *pass) count() {
	nobody := drift.NamedByNobody(p.settings)
	if p.fatal != nil || nobody == nil {
		p.counted = nil
		return
	}
	if err := p.readRuns(); err != nil {
		p.failures = append(p.failures, drift.Failure{Unit: unit.Others,
			Error: fmt.Sprintf("reading what runs as local accounts: %v", err)})
		p.settings = slices.DeleteFunc(slices.Clone(p.settings), func(s unit.Setting) bool {
			return s.Unit == unit.Others // nothing is disabled that something may run as
		})
		return
	}
	counted := journal.Counted{}
	for i := range p.State.Accounts {
		a := &p.State.Accounts[i]
		c, known := p.counted[a.SID]
		if !nobody.Has(a) || !known && !a.Enabled {
			continue
		}
		if !known {
			c.Since = p.job.Now.UTC()
		}
		ends := nobody.Ends(c.Since)
		last := ends.Sub(p.job.Now) <= lastNotice
		if a.Enabled && p.job.Now.Before(ends) && (!known || last && !c.Told) {
			p.did(drift.AccountCounts, unit.Others, a.Name, drift.Details{Time: &ends})
		}
		c.Told = last
		counted[a.SID] = c
	}
	p.counted = counted
	p.tellCounted()
	p.findings = nil
}

// tellCounted puts into the state since when accounts are counted, and what runs as them.
func (p *pass) tellCounted() {
	p.State.Uses = nil
	for _, sid := range slices.SortedFunc(maps.Keys(p.counted), principal.SID.Compare) {
		since := p.counted[sid].Since
		p.State.Uses = append(p.State.Uses, drift.Use{SID: sid, Runs: p.runs[sid], Counted: &since})
	}
}

// othersOut disables accounts that no policy names when their grace is over, under the guard, and ends their sessions.
// One that a service or a task runs as is spared.
func (p *pass) othersOut() {
	if p.fatal != nil || !slices.ContainsFunc(p.settings, func(s unit.Setting) bool { return s.Unit == unit.Others }) {
		return
	}
	for _, f := range slices.Clone(p.differs(unit.Others)) {
		a, there := p.Account(f.Member)
		if f.Kind != drift.AccountUnnamed || len(p.runs[f.Member]) > 0 || !there {
			continue
		}
		if !p.disable(unit.Others, a) {
			continue
		}
		p.disabled = append(p.disabled, a.SID)
		p.one(unit.Others, func() error { return p.host.EndSessions(p.ctx, a.SID) })
	}
}

// enableAgain enables accounts that the device disabled by a rule that was taken back.
func (p *pass) enableAgain() {
	for _, sid := range p.job.Enable {
		a, there := p.Account(sid)
		if !there || a.Enabled || p.fatal != nil {
			continue
		}
		if p.one(unit.Others, func() error { return p.host.EnableAccount(p.ctx, sid, true) }) {
			p.did(drift.AccountEnabled, unit.Others, a.Name, drift.Details{})
		}
	}
}
