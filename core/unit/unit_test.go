package unit_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

func TestUnitNames(t *testing.T) {
	for name, family := range map[string]unit.Family{
		"passwords.min_length": unit.Passwords, "passwords.complexity": unit.Passwords, "lockout": unit.Locking,
		"accounts.desk-keeper": unit.Accounts, "rotation.account:desk-keeper": unit.Rotation,
		"rotation.builtin:administrator": unit.Rotation,
		"membership.administrators":      unit.Membership, "membership.our own crew": unit.Membership,
		"builtins.administrator.name": unit.Builtins, "builtins.guest.full_name": unit.Builtins,
	} {
		id, err := unit.Parse(name)
		require.NoError(t, err, name)
		assert.Equal(t, family, id.Family(), name)
		data, err := json.Marshal(id)
		require.NoError(t, err)
		var again unit.ID
		require.NoError(t, json.Unmarshal(data, &again))
		assert.Equal(t, id, again)
	}
	for _, name := range []string{"", "*", "password", "passwords.", "passwords.length", "lockout.threshold",
		"accounts.", "accounts.Desk", "membership.", "membership.a\u202eb",
		"rotation.builtin:guest", "rotation.local:x", "rotation.account:", "builtins.root.name", "builtins.guest",
		"builtins.guest.sid", "builtins.guest.name.x"} {
		_, err := unit.Parse(name)
		assert.ErrorIs(t, err, unit.ErrUnknown, name)
	}
	target, ok := unit.RotationOf(principal.FromKey("k")).Target()
	assert.True(t, ok)
	assert.Equal(t, principal.FromKey("k"), target)
	for _, none := range []unit.ID{unit.AccountOf("Bad Key!"), unit.MembershipOf("a\u202eb"),
		unit.RotationOf(principal.Guest), unit.BuiltinOf(principal.FromKey("k"), unit.BuiltinName),
		unit.BuiltinOf(principal.Guest, "sid")} {
		assert.True(t, none.IsZero(), "what cannot be a setting cannot be built")
	}
	account, property, ok := unit.BuiltinOf(principal.Guest, unit.BuiltinEnabled).Builtin()
	assert.True(t, ok)
	assert.Equal(t, []any{principal.Guest, unit.BuiltinEnabled}, []any{account, property})
}

// A value is read as what its unit says it is, and nothing else.
func TestValuesOfUnits(t *testing.T) {
	for name, value := range map[string]string{
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
		s := setting(t, name, value)
		written, err := json.Marshal(s.Value)
		require.NoError(t, err)
		assert.Equal(t, value, string(written), "it is written as it was read")
		again := setting(t, name, value)
		assert.True(t, s.Value.Equal(again.Value))
		assert.False(t, s.Value.Equal(unit.Int(-1)), "of another kind")
		_, err = unit.Decode(s.Unit, []byte(`[1]`))
		assert.ErrorContains(t, err, name)
	}
	for name, pair := range map[string][2]string{
		"accounts.k":         {`{"name":"k"}`, `{"name":"K"}`},
		"rotation.account:k": {`{"keep":3,"after_reveal_minutes":null}`, `{"keep":3,"after_reveal_minutes":60}`},
		"lockout":            {`{"threshold":5}`, `{"threshold":6}`},
	} {
		assert.False(t, setting(t, name, pair[0]).Value.Equal(setting(t, name, pair[1]).Value), name)
	}
}

func setting(t *testing.T, name, value string) unit.Setting {
	t.Helper()
	var s unit.Setting
	require.NoError(t, json.Unmarshal([]byte(`{"unit": "`+name+`", "value": `+value+`}`), &s))
	return s
}
