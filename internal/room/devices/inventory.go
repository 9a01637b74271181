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
		if j.in.inventory == j.device.Inventory {
			continue
		}
		now := inventory.Of(j.in.report.State)
		reported[j] = now
		j.taken.Inventory = &store.TakenInventory{Digest: j.in.inventory, Unknown: now.Unknown(), Usual: now.Usual}
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
	taken.Accounts, taken.GoneAccounts = differ(before.Accounts, now.Accounts,
		func(a inventory.Account) principal.SID { return a.SID }, inventory.Account.Equal)
	taken.Members, taken.GoneMembers = differ(before.Members, now.Members,
		func(m inventory.Member) [2]principal.SID { return [2]principal.SID{m.GroupSID, m.SID} },
		func(a, b inventory.Member) bool { return a == b })
}

// differ gives what is new or another one now, and what is gone, each in the order of its list.
func differ[T any, K comparable](before, now []T, key func(T) K, same func(a, b T) bool) (others, gone []T) {
	had := make(map[K]T, len(before))
	for _, x := range before {
		had[key(x)] = x
	}
	for _, x := range now {
		if b, there := had[key(x)]; !there || !same(b, x) {
			others = append(others, x)
		}
		delete(had, key(x))
	}
	for _, x := range before {
		if _, left := had[key(x)]; left {
			gone = append(gone, x)
		}
	}
	return others, gone
}
