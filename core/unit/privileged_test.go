package unit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/unit"
)

// Whoever can take a device over is privileged by what the group is, in whatever letters it is written.
func TestPrivilegedGroups(t *testing.T) {
	for name, want := range map[string]bool{
		"administrators": true, "Docker": true, "WHEEL": true, "hyper-v-administrators": true, "shadow": true,
		"users": false, "remote-desktop-users": false, "harbour-desk": false, "": false,
	} {
		assert.Equal(t, want, unit.IsPrivileged(name), name)
	}
	assert.True(t, unit.Administrators.IsPrivileged())
	assert.False(t, unit.Lockout.IsPrivileged())
	for _, id := range unit.Privileged() {
		assert.True(t, id.IsPrivileged(), id)
	}
	assert.Contains(t, unit.Privileged(), unit.Administrators)
}

// A name of some language, or an identifier, means the same group as our word for it.
func TestNamesOfKnownGroups(t *testing.T) {
	for name, want := range map[string]string{
		"Administratoren": "administrators", "administrateurs": "administrators", "АДМИНИСТРАТОРЫ": "administrators",
		"sudo": "administrators", "S-1-5-32-544": "administrators", "s-1-5-32-555": "remote-desktop-users",
		"Hauptbenutzer": "power-users", "Remote Desktop Users": "remote-desktop-users",
		"administrators": "administrators", "harbour-desk": "", "docker": "", "S-1-5-32-9999": "", "S-1-5-32-": "",
		"S-1-5-32-4294967840": "", // 544 over 2^32
	} {
		word, known := unit.KnownBy(name)
		assert.Equal(t, want, word, name)
		assert.Equal(t, want != "", known, name)
	}
}
