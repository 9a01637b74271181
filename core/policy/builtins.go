package policy

import (
	"strings"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Builtins are the two accounts that every device has; nil is not asked for.
type Builtins struct {
	Administrator *Builtin
	Guest         *Builtin
}

// Builtin is what one built-in account is to be. A nil property is not asked for.
type Builtin struct {
	Name        *string
	Enabled     *bool
	FullName    *string
	Description *string
}

// builtins is how the two are written.
var builtins = shape[Builtins]{
	optional("administrator", oneBuiltin, func(b *Builtins) **Builtin { return &b.Administrator }),
	optional("guest", oneBuiltin, func(b *Builtins) **Builtin { return &b.Guest }),
}

var oneBuiltin = kind[Builtin]{schema: schema{{"$ref", "#/$defs/builtin"}}, read: aBuiltin.read, write: aBuiltin.write}

var aBuiltin = mappingOf(builtin, func() Builtin { return Builtin{} }, nil)

// builtin is how one of them is written.
var builtin = shape[Builtin]{
	optional(
		"name",
		builtinName,
		func(b *Builtin) **string { return &b.Name },
	).about("What the account is called; it keeps its identifier"),
	optional("enabled", yesNo, func(b *Builtin) **bool { return &b.Enabled }),
	optional("full_name", lineText, func(b *Builtin) **string { return &b.FullName }).about("Full name"),
	optional("description", lineText, func(b *Builtin) **string { return &b.Description }).about("Description"),
}

// builtinName is a name as it is: a built-in account has one identity on every device, so there is
// nothing to draw digits for.
var builtinName = textOf(
	schema{{"$ref", "#/$defs/accountName"}},
	func(r *reader, n *yaml.Node, path string) (string, bool) {
		s := r.accountName(n, path)
		if strings.Contains(s, "#") {
			r.errorf(n, path, CodeName, "the name of a built-in account has no drawn digits; write it without #")
			return "", false
		}
		return s, s != ""
	},
)

func (n *Normal) builtin(account principal.Ref, b *Builtin) {
	if b == nil {
		return
	}
	if b.Enabled != nil {
		n.ask(unit.BuiltinOf(account, unit.BuiltinEnabled), unit.Bool(*b.Enabled))
	}
	for property, value := range map[unit.Property]*string{unit.BuiltinName: b.Name, unit.BuiltinFullName: b.FullName,
		unit.BuiltinDescription: b.Description} {
		if value != nil {
			n.ask(unit.BuiltinOf(account, property), unit.Text(*value))
		}
	}
}
