package unit

import (
	"slices"

	"rankwarden.example/core/principal"
)

// State says what is to become of a local account.
type State string

// The states of an account.
const (
	Enabled  State = "enabled"
	Disabled State = "disabled"
	Absent   State = "absent"
)

// AccountValue is a managed account with every default filled in. Its local groups are settings of their own.
type AccountValue struct {
	Key      string   `json:"-"`
	Name     string   `json:"name"`     // a pattern: each # becomes a digit that the device draws
	Formerly []string `json:"formerly"` // patterns; an account of such a name is renamed and keeps its identity
	State    State    `json:"state"`
	Details
	// TakeOver allows taking over an account that a service or a scheduled task runs as.
	TakeOver bool `json:"take_over,omitempty"`
	// KeepPassword leaves the password and the sessions of the account alone, also when it is taken over.
	KeepPassword bool `json:"keep_password,omitempty"`
	// ChangePassword has whoever uses the account change its password, once, at the next sign-in.
	ChangePassword bool `json:"change_at_next_sign_in,omitempty"`
	// KeepKeys leaves the keys alone by which SSH lets people in beside the password.
	KeepKeys bool `json:"keep_ssh_keys,omitempty"`
}

// Equal implements [Value].
func (v AccountValue) Equal(other Value) bool {
	o, ok := other.(AccountValue)
	return ok && v.Name == o.Name && v.State == o.State && v.Details == o.Details &&
		v.TakeOver == o.TakeOver && v.KeepPassword == o.KeepPassword && v.ChangePassword == o.ChangePassword &&
		v.KeepKeys == o.KeepKeys &&
		slices.Equal(v.Formerly, o.Formerly)
}

// AccountOf is the managed account of a key; the zero ID when that cannot be a key.
func AccountOf(key string) ID {
	if key == othersKey {
		return ID{}
	}
	return of(Accounts, key)
}

// AccountKey is the key of a managed account.
func (u ID) AccountKey() (key string, ok bool) {
	if u.family != Accounts || u == Others {
		return "", false
	}
	return u.key(), true
}

// KeyKept says why an account cannot have a key that could be one, empty where it can.
func KeyKept(key string) string {
	if key == othersKey {
		return "stands for every account that no policy names (other_accounts)"
	}
	return ""
}

var accounts = family{
	name:  "accounts",
	valid: principal.ValidKey,
	decode: func(id ID, data []byte) (Value, error) {
		if id == Others {
			return decode(id, data, OthersValue{Allow: []string{}})
		}
		v, err := decode(id, data, AccountValue{})
		v.Key, _ = id.AccountKey()
		return v, err
	},
}
