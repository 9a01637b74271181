package scenario_test

import (
	"bytes"
	"encoding/json"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/scenario"
)

// documents are all policies of the worked examples.
func documents(t *testing.T) [][]byte {
	t.Helper()
	files, err := filepath.Glob("testdata/cases/*[0-9a-z].json")
	require.NoError(t, err)
	var all [][]byte
	for _, file := range files {
		if strings.Contains(file, ".expected.") {
			continue
		}
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		var scenario struct{ Policies []json.RawMessage }
		require.NoError(t, json.Unmarshal(data, &scenario))
		for _, p := range scenario.Policies {
			all = append(all, p)
		}
	}
	require.Greater(t, len(all), 100)
	return all
}

func TestParseWriteParseIsTheIdentity(t *testing.T) {
	for _, source := range documents(t) {
		doc, problems := policy.Parse(source, nil)
		require.True(t, policy.Usable(problems), "%s: %v", source, problems)
		written := policy.Write(doc, nil)
		again, problems := policy.Parse(written, nil)
		require.True(t, policy.Usable(problems), "%s: %v", written, problems)
		assert.Equal(t, doc, again)
		assert.Equal(t, string(written), string(policy.Write(again, written)))
	}
}

func schema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	parsed, err := jsonschema.UnmarshalJSON(bytes.NewReader(policy.Schema))
	require.NoError(t, err)
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("policy.json", parsed))
	compiled, err := compiler.Compile("policy.json")
	require.NoError(t, err)
	return compiled
}

// What the parser takes, the schema takes; where a value has the wrong type, is out of bounds or has
// an unknown key, both refuse it.
func TestSchemaAgreesWithTheParser(t *testing.T) {
	compiled := schema(t)
	refused := 0
	for _, source := range documents(t) {
		var value map[string]any
		require.NoError(t, json.Unmarshal(source, &value))
		require.NoError(t, compiled.Validate(value), "%s", source)
		everyPlace(value, func(spoil func()) {
			before, err := json.Marshal(value)
			require.NoError(t, err)
			spoil()
			after, err := json.Marshal(value)
			require.NoError(t, err)
			_, problems := policy.Parse(after, nil)
			if !policy.Usable(problems) {
				// The schema leaves the checks of the whole to the parser, but refuses nothing else.
				refused++
				return
			}
			assert.NoError(t, compiled.Validate(value), "%s became %s", before, after)
		})
	}
	assert.Greater(t, refused, 500)

	for _, body := range []string{
		`"passwords": {"min_length": 129}`, `"passwords": {"history": -1}`, `"passwords": {"complexity": 1}`,
		`"lockout": {}`, `"lockout": {"threshold": 1000}`,
		`"lockout": {"threshold": 1, "window": "15 min"}`, `"accounts": [{"key": "K", "name": "a"}]`,
		`"accounts": [{"key": "k"}]`, `"accounts": [{"key": "k", "name": "a@b"}]`,
		`"rotation": [{"target": "builtin:guest"}]`, `"rotation": [{"target": "account:k", "secret": {"length": 11}}]`,
		`"rotation": [{"target": "account:k", "keep": 0}]`,
		`"membership": [{"local_group": "crew", "mode": "exact"}]`, `"membership": [{"local_group": "users"}]`,
		`"membership": [{"local_group": "users", "mode": "only"}]`,
		`"builtins": {"root": {}}`, `"password": "x"`,
	} {
		source := `{"format": "rankwarden.policy/1", "name": "p", ` + body + `}`
		var value any
		require.NoError(t, json.Unmarshal([]byte(source), &value))
		assert.Error(t, compiled.Validate(value), source)
		_, problems := policy.Parse([]byte(source), nil)
		assert.False(t, policy.Usable(problems), source)
	}
}

// everyPlace offers to spoil each place of a document in turn: other types, other numbers, other
// words, and unknown keys.
func everyPlace(value any, try func(spoil func())) {
	swap := func(set func(any), old any) {
		for _, other := range []any{-1.0, 100000.0, "x", true, []any{}, map[string]any{}, nil} {
			try(func() { set(other) })
			set(old)
		}
	}
	switch v := value.(type) {
	case map[string]any:
		for _, key := range slices.Sorted(maps.Keys(v)) {
			old := v[key]
			swap(func(x any) { v[key] = x }, old)
			everyPlace(old, try)
		}
		try(func() { v["unheard-of"] = 1 })
		delete(v, "unheard-of")
	case []any:
		for i, old := range v {
			swap(func(x any) { v[i] = x }, old)
			everyPlace(old, try)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte("format: rankwarden.policy/1\nname: p\nlockout: {threshold: 1} # why\n"))
	f.Add([]byte("{\"format\": 1, \"membership\": [[], {}, null], \"accounts\": [{}]}"))
	f.Fuzz(func(t *testing.T, source []byte) {
		doc, problems := policy.Parse(source, nil)
		for _, p := range problems {
			require.Positive(t, p.Line)
			require.NotEmpty(t, p.Message)
		}
		if !policy.Usable(problems) {
			return
		}
		doc.Normalise(nil)
		again, problems := policy.Parse(policy.Write(doc, source), nil)
		require.True(t, policy.Usable(problems), "%v", problems)
		require.Equal(t, doc, again, "parse, write, parse is the identity")
	})
}

// Devices and groups of JSON are read one by one, whatever their order, with the rest as ever; what cannot be read is
// named with its line.
func TestReadingOneByOne(t *testing.T) {
	s, err := scenario.Read([]byte(`{"GROUPS": [{"name": "pier", "devices": ["b", "nobody"]}], "policies": null,
		"devices": [{"name": "b", "model": "Quay", "tags": ["k"]}, {"name": "a", "model": "Quay", "tags": ["k"]}],
		"format": "rankwarden.scenario/1"} and what follows is not read`), nil)
	require.NoError(t, err)
	require.Len(t, s.Devices, 2)
	assert.Equal(t, "a", s.Devices[0].Name)
	assert.Equal(t, "Quay", s.Devices[1].Model)
	assert.Equal(t, []int{1}, s.Groups[0].Devices)

	s, err = scenario.Read([]byte(`{"devices": [{"name": "a"}, {"name": "b"}], "devices": [{"name": "b"}],
		"format": "rankwarden.scenario/1"}`), nil)
	require.NoError(t, err)
	assert.Len(t, s.Devices, 1, "the last of two lists counts")

	_, err = scenario.Read([]byte("format: rankwarden.scenario/1\ndevices:\n  - {name: a, modle: Quay}\n"), nil)
	require.ErrorContains(t, err, "field modle not found", "YAML is as strict")

	const begin = `{"format": "rankwarden.scenario/1",` + "\n"
	for source, want := range map[string]string{
		begin + `"devices": [{"name": "a"}, {"name": 1}]}`:       "line 2: devices.name cannot be number",
		begin + `"devices": {}}`:                                 "line 2: devices cannot be object",
		begin + `"devices": [{"naem": "a"}]}`:                    `the key "naem" is not known; did you mean "name"?`,
		begin + `"devicez": []}`:                                 `the key "devicez" is not known; did you mean "devices"?`,
		begin + `"groups": [{"name": "a",}]}`:                    "line 2: this is not JSON",
		begin + `"devices": [{"name": "a"}`:                      "this is not JSON: unexpected EOF",
		begin + `"devices": [{"name": "a"}, {"name": "a"}]}`:     `two devices are called "a"`,
		begin + `"policies": [{"format": "rankwarden.policy/1"}`: "this is not JSON: unexpected EOF",
	} {
		_, err := scenario.Read([]byte(source), nil)
		require.ErrorContains(t, err, want, source)
	}
}
