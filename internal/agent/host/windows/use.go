package windows

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/agent/host"
)

var _ host.TellsUse = (*Host)(nil)

// Runs implements [host.TellsUse].
func (h *Host) Runs(ctx context.Context) (map[principal.SID][]string, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	users, err := h.system.Users()
	if err != nil {
		return nil, fmt.Errorf("listing accounts: %w", err)
	}
	local := map[string]principal.SID{}
	for _, u := range users {
		sid := h.sid(u.RID)
		local[text.Fold(u.Name)], local[text.Fold(sid.String())] = sid, sid
	}
	found := map[principal.SID][]string{}
	for _, of := range []struct {
		word string
		list func() ([]Runs, error)
	}{{"service ", h.system.Services}, {"task ", h.system.Tasks}} {
		list, err := of.list()
		if err != nil {
			return nil, fmt.Errorf("listing what runs as a %s: %w", strings.TrimSpace(of.word), err)
		}
		for _, r := range list {
			as := r.As
			if machine, name, found := strings.Cut(as, `\`); found && (machine == "." ||
				strings.EqualFold(machine, h.machine.Name)) {
				as = name
			}
			if sid, is := local[text.Fold(as)]; is {
				found[sid] = append(found[sid], of.word+r.Name)
			}
		}
	}
	for _, list := range found {
		slices.Sort(list)
	}
	return found, nil
}

// Sudo implements [host.TellsUse]: Windows has no sudoers.
func (h *Host) Sudo(context.Context) ([]drift.Sudo, error) { return nil, nil }
