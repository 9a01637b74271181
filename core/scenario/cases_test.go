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

// Every worked example comes out exactly as it should.
func TestCases(t *testing.T) {
	cases, err := filepath.Glob("testdata/cases/*.expected.json")
	require.NoError(t, err)
	require.Len(t, cases, 43)
	for _, expected := range cases {
		t.Run(strings.TrimSuffix(filepath.Base(expected), ".expected.json"), func(t *testing.T) {
			source, err := os.ReadFile(strings.Replace(expected, ".expected", "", 1))
			require.NoError(t, err)
			s, err := scenario.Read(source, nil)
			require.NoError(t, err)
			var got bytes.Buffer
			require.NoError(t, s.Settle(fleet.InTurn).WriteJSON(&got))
			want, err := os.ReadFile(expected)
			require.NoError(t, err)
			assert.Equal(t, pretty(t, want), pretty(t, got.Bytes()))
		})
	}
}

// pretty writes JSON with its keys sorted, so that values are compared.
func pretty(t *testing.T, data []byte) string {
	t.Helper()
	var value any
	require.NoError(t, json.Unmarshal(data, &value))
	out, err := json.MarshalIndent(value, "", " ")
	require.NoError(t, err)
	return string(out)
}
