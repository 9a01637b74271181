package e2e

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
	"rankwarden.example/demo"
	"rankwarden.example/internal/wire/directory"
)

const leadsIn = mooring + "membership: [{local_group: administrators, mode: exact, members: [account:mooring, " +
	"'group:Workshop Leads@skerryline.example']}]"

func refs(items []api.DirectoryEntry) []string {
	var list []string
	for _, e := range items {
		list = append(list, e.Ref)
	}
	return list
}

// An LDIF file brings people and groups; policies are checked against it, and devices are told identifiers.
func TestDirectoryImport(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	check, err := s.owner.CheckPolicy(ctx, document("base", leadsIn))
	require.NoError(t, err)
	assert.Empty(t, check.Problems, "without a directory, names are not looked up")

	people, err := demo.Directory()
	require.NoError(t, err)
	change, err := s.owner.ImportDirectory(ctx, people, false, false)
	require.NoError(t, err)
	assert.Equal(t, api.DirectoryChange{Entries: 41, Added: 41, Skipped: []api.SkippedEntry{}}, change)
	again, err := s.owner.ImportDirectory(ctx, people, true, false)
	require.NoError(t, err)
	assert.Zero(t, again.Added+again.Changed+again.Removed, "nothing new")

	found, err := s.owner.Directory(ctx, "HOLM", "", client.Page{})
	require.NoError(t, err)
	require.Equal(t, []string{"user:asta.holm@skerryline.example"}, refs(found.Items))
	asta := found.Items[0]
	assert.Equal(t, "S-1-5-21-70-80-90-1501", asta.SID)
	assert.NotEmpty(t, asta.GUID, "both identifiers were in their packed form")
	found, err = s.owner.Directory(ctx, "office harbour", "group", client.Page{Limit: 3})
	require.NoError(t, err)
	assert.Len(t, found.Items, 3)
	assert.NotEmpty(t, found.Next)

	check, err = s.owner.CheckPolicy(ctx, document(
		"base",
		"membership: [{local_group: users, mode: adjust, members: ['group:Workshop Lead@skerryline.example', 'guid:"+
			asta.GUID+"']}]",
	))
	require.NoError(t, err)
	require.Len(t, check.Problems, 1)
	assert.Contains(t, check.Problems[0].Message, "did you mean group:workshop leads@skerryline.example")

	s.publish("base", leadsIn, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	admins := func() string { return unitWhy(s, "SKL-WKS-001", "membership.administrators").Reported }
	assert.NotContains(t, admins(), "workshop leads", "this machine has not heard of them")
	m := d.Machine()
	m.Directory = []principal.SID{
		principal.MustSID("S-1-5-21-70-80-90-1402"),
		principal.MustSID("S-1-5-21-70-80-90-9999"),
	}
	reboot(s, d, m)
	s.cycle(d, "SKL-WKS-001")
	assert.Contains(t, admins(), "workshop leads@skerryline.example")
	before := s.why("SKL-WKS-001").Device.Desired

	// The group gets another identifier: only devices whose policy names it are told.
	changed := strings.Replace(string(people), leadsSID(t, people), "S-1-5-21-70-80-90-9999", 1)
	change, err = s.owner.ImportDirectory(ctx, []byte(changed), true, false)
	require.NoError(t, err)
	assert.Equal(t, 1, change.Changed)
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, before+1, s.why("SKL-WKS-001").Device.Desired)
	assert.NotContains(t, admins(), "1402")

	withoutAsta := strings.Replace(changed, "dn: cn=Asta Holm", "# dn: cn=Asta Holm", 1)
	_, err = s.owner.ImportDirectory(ctx, []byte(withoutAsta), true, false)
	problem(t, err, 422, "line")
	for says, ldif := range map[string]string{
		"a value by URL":         "dn: cn=x,dc=example\nobjectClass: person\njpegPhoto:< file:///etc/passwd\n",
		"it holds changes":       "dn: cn=x,dc=example\nchangetype: delete\n",
		"no security identifier": "dn: cn=x,dc=example\nobjectClass: person\ncn: x\n",
		"neither a person":       "dn: dc=example\nobjectClass: domain\ndc: example\n",
	} {
		_, err := s.owner.ImportDirectory(ctx, []byte(ldif), false, false)
		var p *client.Problem
		require.ErrorAs(t, err, &p, says)
		assert.Equal(t, 422, p.Status)
	}
	_, err = s.as("bjorn", viewer).ImportDirectory(ctx, people, false, false)
	problem(t, err, 403, "ask an owner")
}

// leadsSID is the packed identifier of the workshop leads as the file writes it, with the second colon.
func leadsSID(t *testing.T, people []byte) string {
	_, after, found := strings.Cut(string(people), "cn: Workshop Leads\n")
	require.True(t, found)
	_, after, _ = strings.Cut(after, "objectSid:")
	line, _, _ := strings.Cut(after, "\n")
	return line
}

// A real directory server is read page by page over TLS, and kept in step with.
func TestDirectoryConnection(t *testing.T) {
	const more = 620 // more than the server gives in one answer
	ldapServer := startOpenLDAP(t, more)
	s := start(t)
	s.stop()
	s.config.Directory, s.config.DirectoryEvery = ldapServer.connection(), 1<<62
	s.run()
	ctx := t.Context()
	s.until(func() bool {
		state, err := s.owner.DirectoryConnection(ctx)
		return err == nil && state.EndedAt != nil && state.Error == "" && state.Entries == 41+more
	})
	found, err := s.owner.Directory(ctx, "crew619", "", client.Page{})
	require.NoError(t, err)
	assert.Equal(t, []string{"user:crew619@skerryline.example"}, refs(found.Items))

	s.publish("base", leadsIn, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	told := func() string { return s.why("SKL-WKS-001").Units[0].Desired }
	require.Contains(t, told(), "workshop leads@skerryline.example")
	before := s.why("SKL-WKS-001").Device.Desired

	// A group is renamed, somebody leaves, somebody comes that a policy names already.
	s.publish(
		"visitors",
		"membership: [{local_group: users, mode: adjust, members: ['user:solveig brae@skerryline.example']}]",
		400,
		"everything",
	)
	s.cycle(d, "SKL-WKS-001")
	assert.Contains(
		t,
		unitWhy(s, "SKL-WKS-001", "membership.users").Findings[0].Words,
		"the directory does not know it",
	)
	require.NoError(t, ldapServer.root.ModifyDN(
		ldap.NewModifyDNRequest("cn=Workshop Leads,ou=groups,"+ldapBase, "cn=Workshop Elders", true, ""),
	))
	require.NoError(t, ldapServer.root.Del(ldap.NewDelRequest("cn=crew0,ou=people,"+ldapBase, nil)))
	add := ldap.NewAddRequest("cn=Solveig Brae,ou=people,"+ldapBase, nil)
	add.Attribute("objectClass", []string{"top", "person", "organizationalPerson", "user"})
	add.Attribute("cn", []string{"Solveig Brae"})
	add.Attribute("sn", []string{"Brae"})
	add.Attribute("objectSid", []string{"S-1-5-21-70-80-90-7777"})
	require.NoError(t, ldapServer.root.Add(add))
	change, err := s.owner.ReadDirectory(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1, 1}, []int{change.Added, change.Changed, change.Removed})
	s.cycle(d, "SKL-WKS-001")
	assert.Contains(
		t,
		unitWhy(s, "SKL-WKS-001", "membership.users").Findings[0].Words,
		"the device cannot resolve this identifier",
		"now the device knows whom to look for",
	)
	assert.Greater(t, s.why("SKL-WKS-001").Device.Desired, before, "the device no longer hears of a group nobody knows")
	assert.Contains(
		t,
		unitWhy(s, "SKL-WKS-001", "membership.administrators").Findings[0].Words,
		"the directory does not know it",
	)

	// What does not work is said, and changes nothing.
	for says, spoil := range map[string]func(c *directory.Connection){
		"signing in":             func(c *directory.Connection) { c.Password = "wrong" },
		"certificate":            func(c *directory.Connection) { c.CA = nil },
		"cannot be read":         func(c *directory.Connection) { c.BaseDN = "nonsense" },
		"gave no person":         func(c *directory.Connection) { c.BaseDN = "ou=nobody," + ldapBase },
		"no address of a direct": func(c *directory.Connection) { c.URL = "http://127.0.0.1" },
	} {
		c := ldapServer.connection()
		spoil(c)
		s.Changes.DirectoryConnection = c
		_, err := s.owner.ReadDirectory(ctx, false)
		require.Error(t, err, says)
		state, err := s.owner.DirectoryConnection(ctx)
		require.NoError(t, err)
		assert.Equal(t, 42+more, len(all(t, s)), "with the one who vanished")
		assert.NotContains(t, state.Error, ldapPassword)
	}
	c := ldapServer.connection()
	c.URL, c.StartTLS = ldapServer.clear, true
	entries, _, err := c.Fetch(ctx)
	require.NoError(t, err, "StartTLS on the clear address")
	assert.Len(t, entries, 41+more)
	c.URL, c.StartTLS = "ldap://directory.skerryline.example", false
	assert.ErrorContains(t, c.Check(), "would send the password in clear")
	assert.True(t, errors.Is(c.Check(), directory.ErrConnection))
}

func all(t *testing.T, s *service) []api.DirectoryEntry {
	items, err := client.All(0, func(p client.Page) (client.List[api.DirectoryEntry], error) {
		p.Limit = 500
		return s.owner.Directory(t.Context(), "", "", p)
	})
	require.NoError(t, err)
	return items
}

// A person or group that vanishes from the directory keeps the identifier until somebody lets it go, and a
// reading that lacks many who are in use waits for a decision.
func TestWhoVanishesFromTheDirectoryLosesNothingAtOnce(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	entry := func(n int) string {
		return fmt.Sprintf(
			"dn: cn=crew%d,ou=people,dc=skerryline,dc=example\nobjectClass: person\ncn: crew%d\nobjectSid: "+
				"S-1-5-21-70-80-90-%d\n\n",
			n,
			n,
			3000+n,
		)
	}
	people := func(without ...int) []byte {
		var b strings.Builder
		for n := range 60 {
			if !slices.Contains(without, n) {
				b.WriteString(entry(n))
			}
		}
		return []byte(b.String())
	}
	_, err := s.owner.ImportDirectory(ctx, people(), true, false)
	require.NoError(t, err)
	refs := all(t, s)
	var members []string
	for _, e := range refs {
		members = append(members, "'"+e.Ref+"'")
	}
	s.publish(
		"base",
		"membership: [{local_group: users, mode: exact, members: ["+strings.Join(members, ", ")+"]}]",
		500,
		"everything",
	)
	s.enrolled("SKL-WKS-001")
	before := s.why("SKL-WKS-001").Device.Desired

	_, err = s.owner.ImportDirectory(ctx, people(1, 2), true, false)
	problem(t, err, 409, "lacks 2 of the 60 people and groups")
	_, err = s.owner.ImportDirectory(ctx, people(1), true, false)
	require.NoError(t, err, "one of sixty is below two in a hundred")
	s.settled()
	assert.Equal(t, before, s.why("SKL-WKS-001").Device.Desired, "nobody loses anything")
	var gone []string
	for _, e := range all(t, s) {
		if e.GoneAt != nil {
			gone = append(gone, e.Ref)
		}
	}
	require.Len(t, gone, 1)
	problem(t, s.owner.DeleteDirectoryEntry(ctx, refs[5].Ref), 404, "has not vanished")
	require.NoError(t, s.owner.DeleteDirectoryEntry(ctx, gone[0]))
	s.settled()
	assert.Equal(t, before+1, s.why("SKL-WKS-001").Device.Desired)

	_, err = s.owner.ImportDirectory(ctx, people(1, 2, 3), true, true)
	require.NoError(t, err)
	s.clock.forward(31 * 24 * time.Hour)
	_, err = s.owner.SignIn(ctx, "asta", ownerPassword)
	require.NoError(t, err)
	s.pruned()
	assert.Len(t, all(t, s), 57, "after thirty days they are let go")
}
