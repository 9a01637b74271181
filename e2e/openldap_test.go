package e2e

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/require"

	"rankwarden.example/demo"
	"rankwarden.example/internal/wire/directory"
)

const (
	ldapBase     = "dc=skerryline,dc=example"
	ldapReader   = "cn=Asta Holm,ou=people," + ldapBase
	ldapPassword = "a rope over the east pier"
	ldapRoot     = "cn=root," + ldapBase
)

// openLDAP is a real directory server on loopback, with the people of the demo and as many more as
// are asked for.
type openLDAP struct {
	clear, tls string // URLs
	ca         []byte
	root       *ldap.Conn
}

const slapdConf = `
include /etc/ldap/schema/core.schema
include /etc/ldap/schema/cosine.schema
include /etc/ldap/schema/inetorgperson.schema
# Identifiers as directories of workstations keep them; the numbers are for documentation (RFC 5612).
attributetype ( 1.3.6.1.4.1.32473.1.1 NAME 'objectSid' SYNTAX 1.3.6.1.4.1.1466.115.121.1.40 SINGLE-VALUE )
attributetype ( 1.3.6.1.4.1.32473.1.2 NAME 'objectGUID' SYNTAX 1.3.6.1.4.1.1466.115.121.1.40 SINGLE-VALUE )
attributetype ( 1.3.6.1.4.1.32473.1.3 NAME 'sAMAccountName' EQUALITY caseIgnoreMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 SINGLE-VALUE )
attributetype ( 1.3.6.1.4.1.32473.1.4 NAME 'userPrincipalName' EQUALITY caseIgnoreMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 SINGLE-VALUE )
objectclass ( 1.3.6.1.4.1.32473.2.1 NAME 'user' SUP organizationalPerson STRUCTURAL MAY ( displayName $ objectSid $ objectGUID $ sAMAccountName $ userPrincipalName ) )
objectclass ( 1.3.6.1.4.1.32473.2.2 NAME 'group' SUP top STRUCTURAL MUST cn MAY ( member $ objectSid $ objectGUID $ sAMAccountName ) )
pidfile %[1]s/slapd.pid
modulepath /usr/lib/ldap
moduleload back_mdb
TLSCertificateFile %[2]s
TLSCertificateKeyFile %[3]s
database mdb
suffix "` + ldapBase + `"
rootdn "` + ldapRoot + `"
rootpw "` + ldapPassword + `"
directory %[1]s/data
limits dn.exact="` + ldapReader + `" size=500 size.prtotal=unlimited
access to * by dn.exact="` + ldapReader + `" read by anonymous auth by * none
`

func startOpenLDAP(t *testing.T, more int) *openLDAP {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "data"), 0o700))
	cert, key, _ := certificate(t)
	ca, err := os.ReadFile(cert)
	require.NoError(t, err)
	s := &openLDAP{ca: ca}
	conf := filepath.Join(dir, "slapd.conf")
	require.NoError(t, os.WriteFile(conf, fmt.Appendf(nil, slapdConf, dir, cert, key), 0o600))
	people, err := demo.Directory()
	require.NoError(t, err)
	people = bytes.TrimPrefix(people, []byte("version: 1\n")) // slapadd takes entries only
	// The password of the one who reads, and people enough for several pages.
	people = bytes.Replace(
		people,
		[]byte("cn: Asta Holm\n"),
		[]byte("cn: Asta Holm\nuserPassword: "+ldapPassword+"\n"),
		1,
	)
	for i := range more {
		people = fmt.Appendf(
			people,
			"\ndn: cn=crew%[1]d,ou=people,%[2]s\nobjectClass: top\nobjectClass: person\nobjectClass: "+
				"organizationalPerson\nobjectClass: user\ncn: crew%[1]d\nsn: Crew\nsAMAccountName: "+
				"crew%[1]d\nobjectSid: S-1-5-21-70-80-90-%[3]d\n",
			i,
			ldapBase,
			5000+i,
		)
	}
	ldif := filepath.Join(dir, "people.ldif")
	require.NoError(t, os.WriteFile(ldif, people, 0o600))
	out, err := exec.CommandContext(t.Context(), "/usr/sbin/slapadd", "-f", conf, "-l", ldif).CombinedOutput()
	require.NoError(t, err, "%s", out)

	s.clear, s.tls = "ldap://"+freeAddress(t), "ldaps://"+freeAddress(t)
	// With -d the server stays in the foreground.
	server := exec.CommandContext(t.Context(), "/usr/sbin/slapd", "-d", "0", "-f", conf, "-h", s.clear+" "+s.tls)
	require.NoError(t, server.Start())
	t.Cleanup(func() { _ = server.Process.Kill(); _ = server.Wait() })
	require.Eventually(t, func() bool {
		var err error
		s.root, err = ldap.DialURL(s.clear)
		return err == nil && s.root.Bind(ldapRoot, ldapPassword) == nil
	}, patience, 10*time.Millisecond)
	t.Cleanup(func() { s.root.Close() })
	return s
}

func (s *openLDAP) connection() *directory.Connection {
	return &directory.Connection{URL: s.tls, CA: s.ca, BindDN: ldapReader, Password: ldapPassword, BaseDN: ldapBase}
}
