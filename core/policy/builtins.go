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
	Name    *string
	Enabled *bool
	Details map[string]string // by the name of a [unit.Detail]; what is not in it is not asked for
}

// builtins is how the two are written.
var builtins = shape[Builtins]{
	optional("administrator", oneBuiltin, func(b *Builtins) **Builtin { return &b.Administrator }),
	optional("guest", oneBuiltin, func(b *Builtins) **Builtin { return &b.Guest }),
}

var oneBuiltin = kind[Builtin]{schema: schema{{"$ref", "#/$defs/builtin"}}, read: aBuiltin.read, write: aBuiltin.write}

var aBuiltin = mappingOf(builtin, func() Builtin { return Builtin{} }, nil)

// builtin is how one of them is written.
var builtin = append(shape[Builtin]{
	optional(
		"name",
		builtinName,
		func(b *Builtin) **string { return &b.Name },
	).about("What the account is called; it keeps its identifier"),
	optional("enabled", yesNo, func(b *Builtin) **bool { return &b.Enabled }),
}, builtinDetails()...)

func builtinDetails() (details shape[Builtin]) {
	for _, d := range unit.AccountDetails {
		if !d.Builtin {
			continue
		}
		p := property[Builtin]{key: d.Name, schema: lineText.schema}
		p.write = func(from *Builtin) *yaml.Node {
			if text, asked := from.Details[d.Name]; asked {
				return lineText.write(text)
			}
			return nil
		}
		p.read = func(r *reader, n *yaml.Node, path string, to *Builtin) {
			text, ok := lineText.read(r, n, path)
			if !ok {
				return
			}
			if to.Details == nil {
				to.Details = map[string]string{}
			}
			to.Details[d.Name] = text
		}
		details = append(details, p.about(d.About))
	}
	return details
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
	if b.Name != nil {
		n.ask(unit.BuiltinOf(account, unit.BuiltinName), unit.Text(*b.Name))
	}
	for name, text := range b.Details {
		n.ask(unit.BuiltinOf(account, unit.Property(name)), unit.Text(text))
	}
}
