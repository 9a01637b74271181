package policy

import (
	"bytes"
	"encoding/json"
	"strings"
	"unicode"

	"rankwarden.example/core/text"
)

// Schema is the JSON Schema (2020-12) of policy documents. It covers types, bounds and names of
// keys; checks of the whole are left to [Parse].
var Schema = writeSchema()

func writeSchema() []byte {
	whole := append(schema{
		{"$schema", "https://json-schema.org/draft/2020-12/schema"},
		{"$id", "https://rankwarden.example/schemas/policy-1.json"},
		{"title", "Policy of Rank Warden"},
		{
			"description",
			"What a group of workstations is to have: local accounts, rotation of passwords, members of local " +
				"groups, built-in accounts, password rules and lockout.",
		},
	}, documents.describe(member{"$defs", schema{
		{
			"accountName",
			schema{
				{"type", "string"},
				{"minLength", 1},
				{"maxLength", text.MaxAccountName},
				{"pattern", `^[^"/\\\[\]:;|=,+*?<>@]+$`},
			},
		},
		{"knownGroup", knownGroup},
		{"principal", schema{{"type", "string"}, {"pattern", "^[A-Za-z]+:.+$"},
			{
				"description",
				"account:KEY, builtin:administrator, builtin:guest, user:NAME@DOMAIN, group:NAME@DOMAIN, sid:S-1-…, " +
					"local:NAME or guid:…",
			}}},
		{
			"builtin",
			builtin.describe(member{"description", "What one built-in account is to be; every property is optional"}),
		},
	}})...)
	// Only texts, numbers and lists of ours are in it, which marshal.
	data, _ := whole.MarshalJSON()
	var out bytes.Buffer
	_ = json.Indent(&out, data, "", "  ")
	return append(out.Bytes(), '\n')
}

// namePattern is the rule of [ValidName].
const namePattern = "^[a-z0-9][a-z0-9-]{0,62}$"

// anyCase is a pattern of words in any case, since most programs that check a schema know no flag for it.
func anyCase(words ...string) string {
	var b strings.Builder
	for i, word := range words {
		if i > 0 {
			b.WriteByte('|')
		}
		for _, c := range word {
			if unicode.IsLetter(c) {
				b.WriteString("[" + string(unicode.ToUpper(c)) + string(c) + "]")
			} else {
				b.WriteRune(c)
			}
		}
	}
	return b.String()
}
