package unit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

func TestWhichOtherAccountsAreAllowed(t *testing.T) {
	sid := principal.MustSID("S-1-5-21-70-80-90-30007")
	for _, c := range []struct {
		entry, name string
		allowed     bool
	}{
		{"counter", "Counter", true},
		{"counter", "counter2", false},
		{"svc-*", "SVC-tide", true},
		{"svc-*", "svc-", true},
		{"svc-*", "my-svc-tide", false},
		{"*-kiosk", "bridge-kiosk", true},
		{"*-kiosk", "bridge-kiosk-2", false},
		{"a*b*c", "axxbyyc", true},
		{"a*b*c", "axxcyyb", false},
		{"a*a", "a", false},
		{"id:30000-39999", "anybody", true},
		{"id:30007", "anybody", true},
		{"id:30008-39999", "anybody", false},
	} {
		assert.Equal(t, c.allowed, unit.OthersValue{Allow: []string{c.entry}}.Allows(c.name, sid), c.entry+" "+c.name)
	}
	for _, entry := range []string{"id:", "id:-", "id:9-3", "id:a-b", "id:1-99999999999", "30000-39999"} {
		_, _, is := unit.AllowedRange(entry)
		assert.False(t, is, entry)
	}
}

func TestOthersIsNoManagedAccount(t *testing.T) {
	id, err := unit.Parse("accounts.others")
	require.NoError(t, err)
	assert.Equal(t, unit.Others, id)
	assert.True(t, unit.AccountOf("others").IsZero())
	_, managed := id.AccountKey()
	assert.False(t, managed)
	value, err := unit.Decode(id, []byte(`{"state": "disabled", "grace_minutes": 20160, "allow": ["svc-*"]}`))
	require.NoError(t, err)
	assert.Equal(t, unit.OthersValue{State: unit.Disabled, GraceMinutes: 20160, Allow: []string{"svc-*"}}, value)
}
