package e2e

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"os"
	"os/exec"
	"sync"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/directory"
)

const (
	domainPassword = "Rope-over-the-east-41"
	domainUsers    = "cn=Users," + ldapBase
)

// domainPorts are those of a domain controller, which one has at a time.
var domainPorts sync.Mutex

// startDomain starts a real domain controller on loopback, with its own ports there, and gives a connection that reads
// it and one that administers it.
func startDomain(t *testing.T) (directory.Connection, *ldap.Conn) {
	if _, err := os.Stat("/usr/share/samba/setup"); err != nil || os.Geteuid() != 0 {
		require.Empty(t, os.Getenv("CI_RUN"), "a domain controller needs root and: scripts/install domain")
		t.Skip("a domain controller needs root and: scripts/install domain")
	}
	beside(t)
	domainPorts.Lock()
	t.Cleanup(domainPorts.Unlock)
	dir := t.TempDir()
	certFile, keyFile, _ := certificate(t)
	out, err := exec.Command("samba-tool", "domain", "provision", "--realm=SKERRYLINE.EXAMPLE", "--domain=SKERRY",
		"--adminpass="+domainPassword,
		"--server-role=dc", "--dns-backend=NONE", "--targetdir="+dir, "--host-name=warden-dc", "--host-ip=127.0.0.1",
		"--option=interfaces=lo", "--option=bind interfaces only=yes", "--option=log file="+dir+"/log",
		"--option=tls keyfile="+keyFile, "--option=tls certfile="+certFile, "--option=tls cafile="+certFile).
		CombinedOutput()
	require.NoError(t, err, string(out))
	server := exec.Command("samba", "--foreground", "--no-process-group", "--model=single",
		"--configfile="+dir+"/etc/smb.conf",
		"--option=server services=ldap", "--option=pid directory="+dir, "--option=ncalrpc dir="+dir+"/ncalrpc")
	require.NoError(t, server.Start())
	t.Cleanup(func() { _ = server.Process.Kill(); _ = server.Wait() })
	ca, err := os.ReadFile(certFile)
	require.NoError(t, err)
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(ca))
	var root *ldap.Conn
	require.Eventually(t, func() bool {
		root, err = ldap.DialURL("ldaps://127.0.0.1:636",
			ldap.DialWithTLSConfig(&tls.Config{RootCAs: roots, ServerName: "127.0.0.1"}))
		return err == nil && root.Bind("Administrator@skerryline.example", domainPassword) == nil
	}, patience, 20*time.Millisecond, "the ports of a domain controller, 389 and 636, must be free on loopback")
	t.Cleanup(func() { root.Close() })
	return directory.Connection{URL: "ldaps://127.0.0.1:636", CA: ca, BindDN: "Administrator@skerryline.example",
		Password: domainPassword, BaseDN: ldapBase}, root
}

// A real domain: its own identifiers, nested groups, more people than one answer brings, and names that change.
func TestADomainController(t *testing.T) {
	const crew = 520
	connection, root := startDomain(t)
	add := func(name, class string, more map[string][]string) {
		request := ldap.NewAddRequest("cn="+name+","+domainUsers, nil)
		request.Attribute("objectClass", []string{class})
		request.Attribute("sAMAccountName", []string{name})
		for key, values := range more {
			request.Attribute(key, values)
		}
		require.NoError(t, root.Add(request), name)
	}
	for i := range crew {
		add(fmt.Sprintf("crew%d", i), "user", nil)
	}
	add("asta.holm", "user", map[string][]string{"userPrincipalName": {"asta.holm@skerryline.example"}})
	add("Workshop Leads", "group", map[string][]string{"member": {"cn=asta.holm," + domainUsers}})
	// one in the other
	add("Fleet Support", "group", map[string][]string{"member": {"cn=Workshop Leads," + domainUsers}})
	entries, _, err := connection.Fetch(t.Context())
	require.NoError(t, err)
	known := map[string]principal.Entry{}
	for _, e := range entries {
		known[e.Ref.String()] = e.Entry
		assert.NotContains(t, e.Ref.String(), "$", "a machine is nobody who can be a member")
	}
	assert.Contains(t, known, fmt.Sprintf("user:crew%d@skerryline.example", crew-1), "the last page was read too")

	s := start(t)
	s.stop()
	s.config.Directory, s.config.DirectoryEvery = &connection, 1<<62
	s.run()
	s.until(func() bool {
		state, err := s.owner.DirectoryConnection(t.Context())
		return err == nil && state.EndedAt != nil && state.Error == "" && state.Entries == len(entries)
	})
	sid := func(name string) string {
		found, err := root.Search(ldap.NewSearchRequest(domainUsers, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases,
			0, 0, false,
			"(sAMAccountName="+name+")", []string{"objectSid"}, nil))
		require.NoError(t, err)
		require.Len(t, found.Entries, 1)
		id, err := principal.SIDFromBytes(found.Entries[0].GetRawAttributeValue("objectSid"))
		require.NoError(t, err)
		return id.String()
	}
	for ref, name := range map[string]string{
		"user:asta.holm@skerryline.example": "asta.holm", "group:workshop leads@skerryline.example": "Workshop Leads",
		"group:fleet support@skerryline.example": "Fleet Support",
	} {
		assert.Equal(t, sid(name), known[ref].SID.String(), ref)
		assert.False(t, known[ref].GUID.IsZero(), ref)
	}

	// A policy names one by name and one by its object; both are followed when they are renamed.
	leads := known["group:workshop leads@skerryline.example"]
	s.publish("base", mooring+"membership: [{local_group: administrators, mode: exact, members: [account:mooring, "+
		"'user:asta.holm@skerryline.example', 'guid:"+
		leads.GUID.String()+"']}]", 500, "everything")
	token := s.enrolmentToken(1)
	d := s.device("SKL-WKS-001", token)
	m := d.Machine()
	m.Directory = append(m.Directory, leads.SID, known["user:asta.holm@skerryline.example"].SID) // it is joined
	d.Workstation = simulated.Boot(m, s.clock.now)
	s.wake(d, token)
	require.NoError(t, d.Cycle(t.Context()))
	s.until(func() bool { return s.why("SKL-WKS-001").Device.Desired > 0 })
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"))
	require.NoError(t, root.ModifyDN(ldap.NewModifyDNRequest("cn=Workshop Leads,"+domainUsers, "cn=Workshop Elders",
		true, "")))
	rename := ldap.NewModifyRequest("cn=Workshop Elders,"+domainUsers, nil)
	rename.Replace("sAMAccountName", []string{"Workshop Elders"})
	require.NoError(t, root.Modify(rename))
	change, err := s.owner.ReadDirectory(t.Context(), false)
	require.NoError(t, err)
	assert.Equal(t, 1, change.Changed)
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"), "it is the same object")
	assert.Contains(t, unitWhy(s, "SKL-WKS-001", "membership.administrators").Reported, "workshop elders")
}
