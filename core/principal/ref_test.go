package principal_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

func TestParse(t *testing.T) {
	for written, canonical := range map[string]string{
		"Builtin:ADMINISTRATOR": "builtin:administrator",
		"local:Ça Va":           "local:ça va",
		"local:C\u0327a":        "local:ça", // composed, so that it equals the name above in kind
		"SID:s-1-5-32-544":      "sid:S-1-5-32-544",
	} {
		ref, err := principal.Parse(written)
		require.NoError(t, err, written)
		assert.Equal(t, canonical, ref.String())
		data, err := json.Marshal(ref)
		require.NoError(t, err)
		var again principal.Ref
		require.NoError(t, json.Unmarshal(data, &again))
		assert.Equal(t, ref, again, "equal with ==")
	}
	for _, written := range []string{"", "keeper", "builtin:root", "local:", "local:a/b", "local: a", "local:a\u202eb", "sid:S-1-5", "sid:S-1-5-04", "sid:S-1-5-4294967296", "group:x@y.example"} {
		_, err := principal.Parse(written)
		assert.ErrorIs(t, err, principal.ErrRef, written)
	}
}

func ExampleParse() {
	ref, err := principal.Parse("local:Keeper")
	fmt.Println(ref, err)
	// Output: local:keeper <nil>
}

func TestRelativeID(t *testing.T) {
	assert.EqualValues(t, 500, principal.MustSID("S-1-5-21-1-2-3-500").RelativeID())
}

func TestNearest(t *testing.T) {
	known := []string{"administrators", "users", "guests"}
	assert.Equal(t, "administrators", text.Nearest("Administratrs", known))
	assert.Equal(t, "guests", text.Nearest("gests", known))
	assert.Empty(t, text.Nearest("harbours", known))
}
