package resolve_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
)

func TestUnitNames(t *testing.T) {
	for name, family := range map[string]resolve.Family{
		"passwords.min_length": resolve.Passwords, "passwords.complexity": resolve.Passwords, "lockout": resolve.Locking,
		"accounts.desk-keeper": resolve.Accounts, "rotation.account:desk-keeper": resolve.Rotation, "rotation.builtin:administrator": resolve.Rotation,
		"membership.administrators": resolve.Membership, "membership.our own crew": resolve.Membership,
		"builtins.administrator.name": resolve.Builtins, "builtins.guest.full_name": resolve.Builtins, "*": "*",
	} {
		unit, err := resolve.ParseUnit(name)
		require.NoError(t, err, name)
		assert.Equal(t, family, unit.Family(), name)
		data, err := json.Marshal(unit)
		require.NoError(t, err)
		var again resolve.UnitID
		require.NoError(t, json.Unmarshal(data, &again))
		assert.Equal(t, unit, again)
	}
	for _, name := range []string{"", "password", "passwords.", "passwords.length", "lockout.threshold", "accounts.", "accounts.Desk", "membership.", "membership.a\u202eb",
		"rotation.builtin:guest", "rotation.local:x", "rotation.account:", "builtins.root.name", "builtins.guest", "builtins.guest.sid", "builtins.guest.name.x"} {
		_, err := resolve.ParseUnit(name)
		assert.ErrorIs(t, err, resolve.ErrUnit, name)
	}
	target, ok := resolve.RotationOf(principal.FromKey("k")).Target()
	assert.True(t, ok)
	assert.Equal(t, principal.FromKey("k"), target)
	account, property, ok := resolve.BuiltinOf(principal.Guest, resolve.BuiltinEnabled).Builtin()
	assert.True(t, ok)
	assert.Equal(t, []any{principal.Guest, "enabled"}, []any{account, property})
}

// A value is read as what its unit says it is, and nothing else.
func TestValuesOfUnits(t *testing.T) {
	for unit, value := range map[string]string{
		"passwords.min_length":           "14",
		"passwords.complexity":           "true",
		"lockout":                        `{"threshold":5,"duration_minutes":15,"window_minutes":15}`,
		"builtins.guest.enabled":         "false",
		"builtins.guest.name":            `"quay-visitor"`,
		"accounts.k":                     `{"name":"k-##","formerly":["old"],"state":"enabled","full_name":"K","description":"","password_expires":true}`,
		"rotation.account:k":             `{"every_minutes":60,"secret":{"style":"words","words":6},"after_use":{"wait_minutes":15,"then":"nothing"},"after_reveal_minutes":60,"redraw_name":true,"keep":3}`,
		"membership.administrators":      `{"closed":true,"present":["account:k","builtin:administrator"],"absent":[]}`,
		"rotation.builtin:administrator": `{"every_minutes":60,"secret":{"style":"characters","length":20,"use":["digits","lower"],"avoid_lookalikes":true},"after_use":{"wait_minutes":15,"then":"restart"},"after_reveal_minutes":null,"redraw_name":false,"keep":3}`,
	} {
		s := setting(t, unit, value)
		written, err := json.Marshal(s.Value)
		require.NoError(t, err)
		assert.Equal(t, value, string(written), "it is written as it was read")
		again := setting(t, unit, value)
		assert.True(t, s.Value.Equal(again.Value))
		assert.False(t, s.Value.Equal(resolve.Int(-1)), "of another kind")
		_, err = resolve.DecodeValue(s.Unit, []byte(`[1]`))
		assert.ErrorContains(t, err, unit)
	}
	for unit, pair := range map[string][2]string{
		"accounts.k":         {`{"name":"k"}`, `{"name":"K"}`},
		"rotation.account:k": {`{"keep":3,"after_reveal_minutes":null}`, `{"keep":3,"after_reveal_minutes":60}`},
		"lockout":            {`{"threshold":5}`, `{"threshold":6}`},
	} {
		assert.False(t, setting(t, unit, pair[0]).Value.Equal(setting(t, unit, pair[1]).Value), unit)
	}
}

func setting(t *testing.T, unit, value string) resolve.Setting {
	t.Helper()
	var s resolve.Setting
	require.NoError(t, json.Unmarshal([]byte(`{"unit": "`+unit+`", "value": `+value+`}`), &s))
	return s
}
