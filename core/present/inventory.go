package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/inventory"
)

// InventoryChange says what changed in the accounts and members of a device.
func InventoryChange(c inventory.Change) string {
	name := c.Name
	if name == "" {
		name = c.SID.String()
	}
	switch c.Kind {
	case inventory.AccountCame:
		return fmt.Sprintf("the account %s came", name)
	case inventory.AccountWent:
		return fmt.Sprintf("the account %s went", name)
	case inventory.AccountRenamed:
		return fmt.Sprintf("the account %s was renamed to %s", c.Former, name)
	case inventory.AccountEnabled:
		return fmt.Sprintf("the account %s was enabled", name)
	case inventory.AccountDisabled:
		return fmt.Sprintf("the account %s was disabled", name)
	case inventory.MemberJoined:
		return fmt.Sprintf("%s joined %s", name, c.Group)
	case inventory.MemberLeft:
		return fmt.Sprintf("%s left %s", name, c.Group)
	}
	return string(c.Kind)
}

// MemberHow says how somebody is in a local group of a device: as a member, through groups of the directory, of which
// the first is the member, or by a file of sudoers with what it allows.
func MemberHow(through []string, via string) string {
	switch {
	case via != "":
		return "by " + via
	case len(through) > 0:
		names := make([]string, len(through))
		domains := map[string]bool{}
		for i, ref := range through {
			names[i] = strings.TrimPrefix(ref, "group:")
			_, domain, _ := strings.Cut(names[i], "@")
			domains[domain] = true
		}
		for i, name := range names {
			if len(domains) == 1 {
				names[i], _, _ = strings.Cut(name, "@")
			}
		}
		return "through " + strings.Join(names, " → ")
	}
	return "member"
}
