package scenario_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/scenario"
)

// Every worked example of warrants comes out exactly as it should, settled and previewed.
func TestWarrantCases(t *testing.T) {
	cases, err := filepath.Glob("testdata/warrants/*.resolve.json")
	require.NoError(t, err)
	require.Len(t, cases, 8)
	for _, file := range cases {
		t.Run(filepath.Base(file), func(t *testing.T) {
			source, err := os.ReadFile(strings.Replace(file, ".resolve", "", 1))
			require.NoError(t, err)
			s, err := scenario.Read(source, nil)
			require.NoError(t, err)
			var got bytes.Buffer
			require.NoError(t, s.Settle(fleet.InTurn).WriteJSON(&got))
			want, err := os.ReadFile(file)
			require.NoError(t, err)
			assert.Equal(t, pretty(t, want), pretty(t, got.Bytes()))
			p, err := s.Preview(fleet.InTurn)
			require.NoError(t, err)
			got.Reset()
			require.NoError(t, p.WriteJSON(&got))
			want, err = os.ReadFile(strings.Replace(file, ".resolve", ".preview", 1))
			require.NoError(t, err)
			assert.Equal(t, pretty(t, want), pretty(t, got.Bytes()))
		})
	}
}

// Without a warrant nothing differs, byte for byte: with "warrants: []", and with warrants that do not run.
func TestWithoutWarrantsNothingDiffers(t *testing.T) {
	for name, object := range inputs(t) {
		want := settleJSON(t, object, fleet.InTurn)
		object["warrants"] = []any{}
		assert.Equal(t, want, settleJSON(t, object, fleet.InTurn), name)
		devices, _ := object["devices"].([]any)
		if _, timed := object["at"]; !timed || len(devices) == 0 {
			continue
		}
		object["warrants"] = []any{map[string]any{"principal": "user:asta.holm@skerryline.example",
			"devices": []any{devices[0].(map[string]any)["name"]}, "from": "2001-01-01T00:00:00Z",
			"until": "2001-01-02T00:00:00Z"}}
		assert.Equal(t, want, settleJSON(t, object, fleet.InTurn), name)
	}
}

func TestWarrantsThatCannotBeUsed(t *testing.T) {
	const base = `{"format": "rankwarden.scenario/1", "devices": [{"name": "SKL-TKT-001"}],`
	const until = `"until": "2031-03-04T08:00:00Z"`
	for source, says := range map[string]string{
		`"warrants": [{"principal": "local:clerk", "devices": ["SKL-TKT-001"], ` + until + `}]`: "at: warrants hold",
		`"principal": "local:clerk", "devices": ["SKL-TKT-009"], ` + until:                      `no device "SKL-TKT-009"`,
		`"principal": "local:clerk", "devices": [], ` + until:                                   "names its devices",
		`"principal": "account:mooring", "devices": ["SKL-TKT-001"], ` + until:                  "cannot have a warrant",
		`"principal": "builtin:guest", "devices": ["SKL-TKT-001"], ` + until:                    "cannot have a warrant",
		`"principal": "asta", "devices": ["SKL-TKT-001"], ` + until:                             "warrants[0].principal",
		`"principal": "local:clerk", "devices": ["SKL-TKT-001"]`:                                `until: "" is not a time`,
		`"principal": "local:clerk", "devices": ["SKL-TKT-001"], "until": "tomorrow"`:           "is not a time",
		`"principal": "local:clerk", "devices": ["SKL-TKT-001"], "from": "now", ` + until:       "warrants[0].from",
		`"principal": "local:clerk", "devices": ["SKL-TKT-001"], "from": "2031-03-04T09:00:00+01:00", ` + until: "is not " +
			"after its beginning",
		`"principal": "local:clerk", "local_group": " ", "devices": ["SKL-TKT-001"], ` + until: "cannot name a local group",
		`"principal": "local:clerk", "for": "2h", "devices": ["SKL-TKT-001"], ` + until:        "for",
	} {
		if !strings.Contains(source, "warrants") {
			source = `"at": "2031-03-04T06:00:00Z", "warrants": [{` + source + `}]`
		}
		require.True(t, json.Valid([]byte(base+source+"}")), source)
		_, err := scenario.Read([]byte(base+source+"}"), nil)
		require.ErrorContains(t, err, says, source)
	}
}
