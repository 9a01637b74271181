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
		"Builtin:ADMINISTRATOR":                       "builtin:administrator",
		"local:Ça Va":                                 "local:ça va",
		"local:C\u0327a":                              "local:ça", // composed, so that it equals the name above in kind
		"SID:s-1-5-32-544":                            "sid:S-1-5-32-544",
		"account:Desk-Keeper":                         "account:desk-keeper",
		"group:Desk Support@Skerryline.example":       "group:desk support@skerryline.example",
		"user:a@b@skerryline.example":                 "user:a@b@skerryline.example",
		"guid:{7F2C11F0-9D1E-4B5E-8A55-0F3F2A6F9B21}": "guid:7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21",
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
	for _, written := range []string{"", "keeper", "builtin:root", "local:", "local:a/b", "local: a", "local:a\u202eb",
		"sid:S-1-5", "sid:S-1-5-04", "sid:S-1-5-4294967296", "group:x", "user:@y.example", "user:x@",
		"user:x@-y.example", "user: x@y.example", "group:x\u200b@y.example", "account:", "account:-a", "guid:7f2c",
		"guid:00000000-0000-0000-0000-000000000000"} {
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

// The packed forms are those in which a directory keeps the identifiers of its objects.
func TestPackedIdentifiers(t *testing.T) {
	sid, err := principal.SIDFromBytes(
		[]byte{1, 5, 0, 0, 0, 0, 0, 5, 21, 0, 0, 0, 11, 0, 0, 0, 22, 0, 0, 0, 33, 0, 0, 0, 0x2a, 0x23, 0, 0},
	)
	require.NoError(t, err)
	assert.Equal(t, "S-1-5-21-11-22-33-9002", sid.String())
	for _, bad := range [][]byte{nil, {1, 2, 0, 0, 0, 0, 0, 5, 21, 0, 0, 0}, {2, 1, 0, 0, 0, 0, 0, 5, 21, 0, 0, 0},
		{1, 0, 0, 0, 0, 0, 0, 5}} {
		_, err := principal.SIDFromBytes(bad)
		assert.ErrorIs(t, err, principal.ErrSID, "% x", bad)
	}
	guid, err := principal.GUIDFromBytes(
		[]byte{0xf0, 0x11, 0x2c, 0x7f, 0x1e, 0x9d, 0x5e, 0x4b, 0x8a, 0x55, 0x0f, 0x3f, 0x2a, 0x6f, 0x9b, 0x21},
	)
	require.NoError(t, err)
	assert.Equal(t, "7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21", guid.String())
	assert.Equal(t, guid, principal.MustParse("guid:"+guid.String()).GUID())
	_, err = principal.GUIDFromBytes([]byte{1})
	assert.ErrorIs(t, err, principal.ErrGUID)
}

func TestNearPrincipals(t *testing.T) {
	table := principal.NewTable([]principal.Entry{
		{
			Ref: principal.MustParse("group:desk support@skerryline.example"),
		}, {Ref: principal.MustParse("user:asta.holm@skerryline.example")},
		{Ref: principal.MustParse("user:asta.holme@skerryline.example")},
	})
	assert.Equal(
		t,
		[]principal.Ref{
			principal.MustParse("user:asta.holm@skerryline.example"),
			principal.MustParse("user:asta.holme@skerryline.example"),
		},
		table.Near(principal.MustParse("user:asta.hol@skerryline.example")),
	)
	assert.Equal(
		t,
		[]principal.Ref{principal.MustParse("group:desk support@skerryline.example")},
		table.Near(principal.MustParse("user:desk suport@skerryline.example")),
	)
	assert.Empty(t, table.Near(principal.MustParse("user:nobody.like.that@skerryline.example")))
}

func TestNearest(t *testing.T) {
	known := []string{"administrators", "users", "guests"}
	assert.Equal(t, "administrators", text.Nearest("Administratrs", known))
	assert.Equal(t, "guests", text.Nearest("gests", known))
	assert.Empty(t, text.Nearest("harbours", known))
}
