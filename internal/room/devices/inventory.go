package devices

import (
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/store"
)

// takeInventories has stored what is another one in the inventories of reports. A report that names no account at all
// says nothing of them: every device has some.
func takeInventories(b ReportBatch, judged []*judgement) error {
	var before []string // devices that had one
	reported := map[*judgement]inventory.Inventory{}
	for _, j := range judged {
		if len(j.in.report.State.Accounts) == 0 {
			continue
		}
		now := inventory.Of(j.in.report.State)
		digest := now.Digest()
		if digest == j.device.Inventory {
			continue
		}
		reported[j] = now
		j.taken.Inventory = &store.TakenInventory{Digest: digest, Unknown: now.Unknown()}
		if j.device.Inventory != "" {
			before = append(before, j.device.ID)
		}
	}
	had, err := b.Inventories(before)
	if err != nil {
		return err
	}
	for j, now := range reported {
		altered(j.taken.Inventory, had[j.device.ID], now)
		if j.device.Inventory != "" {
			j.taken.Inventory.Changes = inventory.Compare(had[j.device.ID], now)
		}
	}
	return nil
}

// altered says which rows are others.
func altered(taken *store.TakenInventory, before, now inventory.Inventory) {
	accounts := map[principal.SID]inventory.Account{}
	for _, a := range before.Accounts {
		accounts[a.SID] = a
	}
	for _, a := range now.Accounts {
		if !accounts[a.SID].Equal(a) {
			taken.Accounts = append(taken.Accounts, a)
		}
		delete(accounts, a.SID)
	}
	for _, a := range before.Accounts {
		if _, gone := accounts[a.SID]; gone {
			taken.GoneAccounts = append(taken.GoneAccounts, a)
		}
	}
	type way struct{ group, sid principal.SID }
	members := map[way]inventory.Member{}
	for _, m := range before.Members {
		members[way{m.GroupSID, m.SID}] = m
	}
	for _, m := range now.Members {
		if members[way{m.GroupSID, m.SID}] != m {
			taken.Members = append(taken.Members, m)
		}
		delete(members, way{m.GroupSID, m.SID})
	}
	for _, m := range before.Members {
		if _, gone := members[way{m.GroupSID, m.SID}]; gone {
			taken.GoneMembers = append(taken.GoneMembers, m)
		}
	}
}
