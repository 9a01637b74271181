package agent

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/wire/protocol"
)

// Room of a report: how many bytes of it a state may take, and by how much less what was found before gets.
const (
	stateRoom = protocol.MaxRequest / 2
	foundPart = 4
)

// boundState keeps a state within the bounds of an inventory, and within what a request takes; it gives the part of the
// bounds that it has.
func boundState(state *drift.State) (part int, err error) {
	inventory.Bound(state)
	for part = 1; ; part *= 2 {
		data, err := json.Marshal(state)
		if err != nil || len(data) <= stateRoom || part > inventory.MaxAccounts/4 {
			return part, err
		}
		inventory.BoundTo(state, part*2)
	}
}

// tellInventory adds to a state what accounts are used for, and keeps it within the bounds of an inventory; it gives
// the part of the bounds that the state has.
func (a *Agent) tellInventory(ctx context.Context, state *drift.State) (part int, err error) {
	runs := map[principal.SID][]string{}
	if tells, ok := a.Host.(host.TellsUse); ok {
		if runs, err = tells.Runs(ctx); err != nil {
			return 0, fmt.Errorf("reading what runs as local accounts: %w", err)
		}
		if state.Sudo, err = tells.Sudo(ctx); err != nil {
			return 0, fmt.Errorf("reading sudoers: %w", err)
		}
	}
	state.Usual = a.journal.Usual(a.now(), func(account string) bool {
		return slices.ContainsFunc(state.Accounts, func(x drift.Account) bool { return x.SID.String() == account })
	})
	if part, err = boundState(state); err != nil {
		return part, err
	}
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
	return part, nil
}
