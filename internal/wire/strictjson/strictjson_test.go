package strictjson

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

type lamp struct {
	Name  string          `json:"name"`
	Lit   *bool           `json:"lit,omitempty"`
	Watts int             `json:"watts"`
	Tiny  int8            `json:"tiny"`
	Data  []byte          `json:"data"`
	Next  *lamp           `json:"next"`
	Extra map[string]any  `json:"extra"`
	Raw   json.RawMessage `json:"raw"`
}

// What can be read in two ways is refused, and the words say where and what.
func TestWhatIsRefused(t *testing.T) {
	for document, says := range map[string]string{
		`{"name": "a", "name": "b"}`:     `the key "name" is there twice`,
		`{"extra": {"a": 1, "a": 2}}`:    `the key "extra.a" is there twice`,
		`{"raw": [{"a": 1, "a": 2}]}`:    `the key "raw.0.a" is there twice`,
		`{"Name": "a"}`:                  `there is no key "Name"`,
		`{"next": {"wats": 1}}`:          `there is no key "next.wats"`,
		`{"watts": "many"}`:              `"watts" is a text, which cannot be there`,
		`{"watts": 1.5}`:                 `"watts" is a number, which cannot be there`,
		`{"tiny": 300}`:                  `"tiny" is a number, which cannot be there`,
		`{"watts": 9223372036854775808}`: `"watts" is a number`,
		`{"name": ["a"]}`:                `"name" is a list`,
		`[]`:                             `"the document" is a list`,
		`{"name": "a"`:                   `it ends too early`,
		`{"name": "a"} {}`:               `it is not JSON, at byte`,
		``:                               `it is not JSON`,
		"{\"name\": \"\xff\"}":           `it is not JSON, at byte`,
		`{1: 2}`:                         `a key must be a string`,
		`{"raw":` + strings.Repeat("[", 40) + `}`:                           `nested more than 32 deep`,
		`{"raw":` + strings.Repeat("[", 32) + strings.Repeat("]", 32) + `}`: `nested more than 32 deep`,
	} {
		var l lamp
		assert.ErrorContains(t, Unmarshal([]byte(document), &l), says, document)
		if !strings.HasPrefix(says, "there is no key") && !strings.Contains(says, "cannot be there") &&
			!strings.Contains(says, "is a ") {
			var anything any
			assert.Error(t, Unmarshal([]byte(document), &anything), document)
		}
	}
	var l lamp
	secret := Unmarshal([]byte(`{"watts": "adbey-qf8ds"}`), &l)
	assert.NotContains(t, secret.Error(), "adbey")
}

func TestWhatIsRead(t *testing.T) {
	var l lamp
	require.NoError(t, Unmarshal([]byte(` {"name": "å", "lit": null, "watts": -3, "data": "AAE=", "next": {"name": "b"},
		"extra": {"a": [1, null]}, "raw": `+strings.Repeat("[", 31)+strings.Repeat("]", 31)+`}`), &l))
	assert.Equal(t, "å", l.Name)
	assert.Nil(t, l.Lit)
	assert.Equal(t, []byte{0, 1}, l.Data)
	assert.Equal(t, map[string]any{"a": []any{1.0, nil}}, l.Extra)
}

// Whatever is read means the same to the reader of the standard library, which takes more; and nothing panics.
func FuzzUnmarshal(f *testing.F) {
	for _, seed := range []string{
		`{"name": "a", "name": "b"}`, `{"Name": 1}`, `{"next": {"raw": [[[]]]}}`, `[1e400]`, "\xff", `{"data": "AA=="}`,
		`{"extra": {"a": {"b": [1, "c", null, true]}}}`,
	} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, document []byte) {
		var strict, loose lamp
		if err := Unmarshal(document, &strict); err != nil {
			assert.NotEmpty(t, err.Error())
			return
		}
		require.NoError(t, json.Unmarshal(document, &loose))
		assert.Equal(t, loose, strict)
		var tree any
		require.NoError(t, Unmarshal(document, &tree))
		written, err := json.Marshal(tree)
		require.NoError(t, err)
		require.NoError(t, Unmarshal(written, &tree), "what it makes of a document is one as well")
	})
}
