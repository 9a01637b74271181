package agent

import (
	"context"
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// tellInventory adds to a state what accounts are used for, and keeps it within the bounds of an inventory.
func (a *Agent) tellInventory(ctx context.Context, state *drift.State) error {
	runs := map[principal.SID][]string{}
	if tells, ok := a.Host.(host.TellsUse); ok {
		var err error
		if runs, err = tells.Runs(ctx); err != nil {
			return fmt.Errorf("reading what runs as local accounts: %w", err)
		}
		if state.Sudo, err = tells.Sudo(ctx); err != nil {
			return fmt.Errorf("reading sudoers: %w", err)
		}
	}
	state.Usual = a.journal.Usual(a.now(), func(account string) bool {
		return slices.ContainsFunc(state.Accounts, func(x drift.Account) bool { return x.SID.String() == account })
	})
	inventory.Bound(state)
	there := map[principal.SID]bool{}
	state.Uses = nil
	for _, account := range state.Accounts {
		there[account.SID] = true
		use := drift.Use{SID: account.SID, Runs: runs[account.SID]}
		if day, used := a.journal.LastSignIns[account.SID]; used {
			use.LastSignIn = &day
		}
		if c, counted := a.journal.Counted[account.SID]; counted {
			use.Counted = &c.Since
		}
		if use.LastSignIn != nil || len(use.Runs) > 0 || use.Counted != nil {
			state.Uses = append(state.Uses, use)
		}
	}
	for sid := range a.journal.LastSignIns {
		if !there[sid] {
			delete(a.journal.LastSignIns, sid)
		}
	}
	return nil
}
