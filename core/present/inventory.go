package present

import (
	"fmt"

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
