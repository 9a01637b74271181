package directory_test

import (
	"encoding/base64"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/demo"
	"rankwarden.example/internal/wire/directory"
)

func entry(lines ...string) string { return strings.Join(lines, "\n") + "\n\n" }

const base = "dc=skerryline,dc=example"

// Each way in which directories write who somebody is comes to the same reference and identifier.
func TestNamesAndIdentifiers(t *testing.T) {
	packed := base64.StdEncoding.EncodeToString(
		[]byte{1, 5, 0, 0, 0, 0, 0, 5, 21, 0, 0, 0, 70, 0, 0, 0, 80, 0, 0, 0, 90, 0, 0, 0, 0xdd, 5, 0, 0},
	)
	guid := base64.StdEncoding.EncodeToString(
		[]byte{0xf0, 0x11, 0x2c, 0x7f, 0x1e, 0x9d, 0x5e, 0x4b, 0x8a, 0x55, 0x0f, 0x3f, 0x2a, 0x6f, 0x9b, 0x21},
	)
	for name, c := range map[string]struct {
		ldif            string
		ref, title, sid string
		guid            string
	}{
		"a person by principal name": {entry("dn: cn=Asta Holm,"+base, "objectClass: user", "cn: Asta Holm",
			"userPrincipalName: Asta.Holm@skerryline.example", "objectSid:: "+packed, "objectGUID:: "+guid),
			"user:asta.holm@skerryline.example", "Asta Holm", "S-1-5-21-70-80-90-1501",
			"7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21"},
		"a person by account name": {entry("dn: cn=Asta Holm,ou=people,"+base, "objectClass: inetOrgPerson",
			"cn: Asta Holm", "uid: asta", "displayName: A. Holm", "sambaSID: S-1-5-21-70-80-90-1501",
			"entryUUID: 7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21"),
			"user:asta@skerryline.example", "A. Holm", "S-1-5-21-70-80-90-1501",
			"7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21"},
		"a principal name that is none": {entry("dn: cn=x,"+base, "objectClass: person", "cn: x",
			"userPrincipalName: asta", "objectsid: s-1-5-21-1-2-3-4"),
			"user:x@skerryline.example", "x", "S-1-5-21-1-2-3-4", ""},
		"a group by its name": {entry("dn: cn=Desk Support,ou=groups,"+base, "objectClass: groupOfNames",
			"cn: Desk Support", "sAMAccountName: desk$1", "objectSid: S-1-5-21-1-2-3-5"),
			"group:desk support@skerryline.example", "Desk Support", "S-1-5-21-1-2-3-5", ""},
		"a name in base64": {entry("dn: cn=Grün,"+base, "objectClass: group",
			"cn:: "+base64.StdEncoding.EncodeToString([]byte("Grün")), "objectSid: S-1-5-21-1-2-3-6"),
			"group:grün@skerryline.example", "Grün", "S-1-5-21-1-2-3-6", ""},
	} {
		t.Run(name, func(t *testing.T) {
			entries, skipped, err := directory.ParseLDIF([]byte("version: 1\n" + c.ldif))
			require.NoError(t, err)
			require.Empty(t, skipped)
			require.Len(t, entries, 1)
			e := entries[0]
			assert.Equal(
				t,
				[]string{c.ref, c.title, c.sid, c.guid},
				[]string{e.Ref.String(), e.Title, e.SID.String(), e.GUID.String()},
			)
		})
	}
}

// Who cannot be named is passed over with the reason, and does not keep the others out.
func TestPassedOver(t *testing.T) {
	good := entry("dn: cn=good,"+base, "objectClass: person", "cn: good", "objectSid: S-1-5-21-1-2-3-9")
	for says, bad := range map[string]string{
		"no security identifier": entry("dn: cn=x,"+base, "objectClass: person", "cn: x"),
		"no domain": entry("dn: cn=x,o=Skerry Line", "objectClass: person", "cn: x",
			"objectSid: S-1-5-21-1-2-3-4"),
		"not a security identifier": entry("dn: cn=x,"+base, "objectClass: person", "cn: x",
			"objectSid: S-1-5-x"),
		"packed identifier": entry("dn: cn=x,"+base, "objectClass: person", "cn: x",
			"objectSid: 12345"),
		"not a directory object's identifier": entry("dn: cn=x,"+base, "objectClass: person", "cn: x",
			"objectSid: S-1-5-21-1-2-3-4", "entryUUID: 1"),
		"has the same name as cn=good,dc=skerryline": entry("dn: cn=good,ou=other,"+base, "objectClass: person",
			"cn: GOOD", "objectSid: S-1-5-21-1-2-3-4"),
		"must look like user:NAME@DOMAIN": entry("dn: cn=x,"+base, "objectClass: person",
			"objectSid: S-1-5-21-1-2-3-4"),
	} {
		entries, skipped, err := directory.ParseLDIF([]byte(good + bad))
		require.NoError(t, err, says)
		assert.Len(t, entries, 1, says)
		require.Len(t, skipped, 1, says)
		assert.Contains(t, skipped[0].Why, says)
	}
	for _, other := range []string{
		entry("dn: ou=people,"+base, "objectClass: organizationalUnit", "ou: people"),
		entry("dn: cn=pc,"+base, "objectClass: person", "objectClass: user", "objectClass: computer", "cn: pc",
			"objectSid: S-1-5-21-1-2-3-4"),
	} {
		entries, skipped, err := directory.ParseLDIF([]byte(other))
		require.NoError(t, err)
		assert.Empty(t, entries, "neither a person nor a group")
		assert.Empty(t, skipped)
	}
}

func TestConnectionSettings(t *testing.T) {
	good := directory.Connection{
		URL:      "ldaps://directory.skerryline.example",
		BaseDN:   base,
		BindDN:   "cn=reader," + base,
		Password: "x",
	}
	require.NoError(t, good.Check())
	for says, change := range map[string]func(c *directory.Connection){
		"no address of a directory": func(c *directory.Connection) { c.URL = "directory.skerryline.example" },
		"no base is given":          func(c *directory.Connection) { c.BaseDN = "" },
		"the base":                  func(c *directory.Connection) { c.BaseDN = "skerryline" },
		"would send the password in clear": func(
			c *directory.Connection) {
			c.URL = "ldap://directory.skerryline.example"
		},
		"file of trusted certificates holds": func(c *directory.Connection) { c.CA = []byte("no PEM") },
	} {
		c := good
		change(&c)
		assert.ErrorContains(t, c.Check(), says)
		assert.ErrorIs(t, c.Check(), directory.ErrConnection)
	}
	for _, clear := range []func(c *directory.Connection){
		func(c *directory.Connection) { c.URL = "ldap://127.0.0.1:3890" },
		func(c *directory.Connection) { c.URL, c.StartTLS = "ldap://directory.skerryline.example", true },
		func(c *directory.Connection) { c.URL, c.Insecure = "ldap://directory.skerryline.example", true },
		func(c *directory.Connection) { c.URL, c.Password = "ldap://directory.skerryline.example", "" },
	} {
		c := good
		clear(&c)
		assert.NoError(t, c.Check())
	}
}

// Whatever stands in a file, it is read or refused, and nobody without an identifier gets in.
func FuzzParseLDIF(f *testing.F) {
	people, err := demo.Directory()
	require.NoError(f, err)
	f.Add(people[:2000])
	f.Add([]byte("dn: cn=x,dc=example\nchangetype: modify\nreplace: a\na: b\n-\n"))
	f.Add([]byte("dn:: Y249eCxkYz1leGFtcGxl\nobjectClass: person\n objectSid"))
	f.Fuzz(func(t *testing.T, source []byte) {
		entries, _, err := directory.ParseLDIF(source)
		if err != nil {
			require.ErrorIs(t, err, directory.ErrLDIF)
			return
		}
		for _, e := range entries {
			require.False(t, e.SID.IsZero() || e.Ref.IsZero())
		}
	})
}
