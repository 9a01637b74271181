package unit

import (
	"cmp"
	"slices"
	"strings"

	"rankwarden.example/core/principal"
)

// Property is one of the properties of a built-in account that are settings.
type Property string

// The properties.
const (
	BuiltinName    Property = "name"
	BuiltinEnabled Property = "enabled"
)

// Properties are all of them: those above, and the details that built-in accounts have.
var Properties = func() []Property {
	all := []Property{BuiltinName, BuiltinEnabled}
	for _, d := range AccountDetails {
		if d.Builtin {
			all = append(all, Property(d.Name))
		}
	}
	return all
}()

// BuiltinOf is one property of the built-in administrator or guest; the zero ID for any other account.
func BuiltinOf(account principal.Ref, property Property) ID {
	if account != principal.Administrator && account != principal.Guest {
		return ID{}
	}
	return of(Builtins, account.Value()+"."+string(property))
}

// Builtin is the account and the property of a setting of a built-in account.
func (u ID) Builtin() (account principal.Ref, property Property, ok bool) {
	if u.family != Builtins {
		return principal.Ref{}, "", false
	}
	name, written, _ := strings.Cut(u.key(), ".")
	if name == principal.Guest.Value() {
		return principal.Guest, Property(written), true
	}
	return principal.Administrator, Property(written), true
}

var builtins = family{
	name: "builtins",
	valid: func(key string) bool {
		name, property, _ := strings.Cut(key, ".")
		return (name == principal.Administrator.Value() || name == principal.Guest.Value()) &&
			slices.Contains(Properties, Property(property))
	},
	decode: func(id ID, data []byte) (Value, error) {
		if _, property, _ := id.Builtin(); property == BuiltinEnabled {
			return decode(id, data, Bool(false))
		}
		return decode(id, data, Text(""))
	},
	order: func(id ID, a, b Value) (int, bool) {
		if _, property, _ := id.Builtin(); property != BuiltinEnabled {
			return 0, false
		}
		return cmp.Compare(asInt(b.(Bool)), asInt(a.(Bool))), true
	},
}
