package policy

import _ "embed"

// Schema is the JSON Schema (2020-12) of policy documents. It covers types, bounds and names of
// keys; checks of the whole are left to [Parse].
//
//go:embed schema.json
var Schema []byte
