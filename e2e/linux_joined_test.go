package e2e

import (
	"strings"
	"testing"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// joins has a workstation ask a domain controller on this machine who there is, by sssd(8).
func (r *real) joins(ca []byte) {
	require.NoError(r.t, r.Put("/etc/ssl/domain.pem", ca, 0o644))
	require.NoError(r.t, r.Put("/etc/sssd/sssd.conf", []byte(`[sssd]
services = nss, pam
domains = skerryline.example
[domain/skerryline.example]
id_provider = ldap
auth_provider = ldap
access_provider = permit
ldap_uri = ldaps://127.0.0.1:636
ldap_tls_cacert = /etc/ssl/domain.pem
ldap_search_base = `+ldapBase+`
ldap_default_bind_dn = cn=Administrator,`+domainUsers+`
ldap_default_authtok = `+domainPassword+`
ldap_schema = ad
ldap_id_mapping = true
case_sensitive = false
fallback_homedir = /home/%u
default_shell = /bin/bash
`), 0o600))
	r.sh("systemctl restart sssd")
}

// A workstation of a domain: its people and groups are administrators by their names, also by sudoers alone, and a
// cache of names is in between.
func TestAJoinedLinux(t *testing.T) {
	connection, root := startDomain(t)
	for name, more := range map[string]map[string][]string{
		"asta.holm":     {"objectClass": {"user"}, "userPrincipalName": {"asta.holm@skerryline.example"}},
		"bror.ek":       {"objectClass": {"user"}, "userPrincipalName": {"bror.ek@skerryline.example"}},
		"Fleet Support": {"objectClass": {"group"}},
	} {
		request := ldap.NewAddRequest("cn="+name+","+domainUsers, nil)
		request.Attribute("sAMAccountName", []string{name})
		for key, values := range more {
			request.Attribute(key, values)
		}
		require.NoError(t, root.Add(request), name)
	}
	s := startQuick(t)
	s.stop()
	s.config.Directory, s.config.DirectoryEvery = &connection, 1<<62
	s.run()
	const name = "SKL-INF-923"
	r := wholeWorkstation(t, name)
	r.joins(connection.CA)
	s.until(func() bool {
		_, err := r.Run(t.Context(), "getent passwd asta.holm && getent group 'Fleet Support'")
		return err == nil
	})
	s.until(func() bool {
		state, err := s.owner.DirectoryConnection(t.Context())
		return err == nil && state.EndedAt != nil && state.Error == ""
	})
	require.NoError(t, r.InstallAgent(binaries))
	s.publish("base", strings.Replace(onlyMooring, "[account:mooring]",
		"[account:mooring, 'user:asta.holm@skerryline.example']", 1), 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")
	assert.Contains(t, strings.Split(r.sh("getent group sudo | cut -d: -f4"), ","), "asta.holm")
	r.sh(`echo '%fleet\ support ALL=(ALL) ALL' > /etc/sudoers.d/fleet; echo 'bror.ek ALL=(ALL) ALL' > /etc/sudoers.d/bror`)
	s.until(func() bool { return len(s.openOn(name)) >= 4 })
	assert.Equal(t, []string{"member_extra %fleet support sudoers.d/fleet", "member_extra bror.ek sudoers.d/bror"},
		s.openOn(name)[2:], "and that neither is taken away")
	r.sh("gpasswd -a bror.ek sudo; rm /etc/sudoers.d/*")
	s.comesTo(name, "in_step")
	assert.NotContains(t, r.sh("getent group sudo"), "bror.ek")
}
