package unit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/unit"
)

// No managed account has a name that devices have for something else, in any language and in any letters.
func TestReservedNames(t *testing.T) {
	for name, want := range map[string]string{
		"Administrator": "builtins.administrator", "ADMINISTRATEUR": "builtins.administrator",
		"root": "builtins.administrator", "Администратор": "builtins.administrator", "Gast": "builtins.guest",
		"SYSTEM": "belongs to the operating system", "CON": "belongs to the operating system",
		"com7": "belongs to the operating system", "Network Service": "belongs to the operating system",
		"www-data": "belongs to the operating system", "Users": "is a local group", "Benutzer": "is a local group",
		"sudo": "is a local group", "Hyper-V Administrators": "is a local group",
		"keeper": "", "keeper-##": "", "com10": "", "administrator-##": "", "console": "", "": "",
	} {
		if want == "" {
			assert.Empty(t, unit.Reserved(name), name)
		} else {
			assert.Contains(t, unit.Reserved(name), want, name)
		}
	}
}
