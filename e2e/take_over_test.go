package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// An account that exists already is told before anything happens: by the check of a policy, by a plan of former
// accounts and by the preview; one that a service runs as stays, and one whose password is kept goes on being used.
func TestTakingOverAccounts(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	served, used := s.enrolled("SKL-BRG-001"), s.enrolled("SKL-WKS-001")
	for _, d := range []*device{served, used} {
		sid := d.AddAccount("setup")
		require.NoError(t, d.SetPassword(ctx, sid, "Quay-zero-7-is-long"))
		require.NoError(t, d.SignIn("setup", "Quay-zero-7-is-long"))
	}
	served.Serve("service tide-sync", served.Find("setup"))
	s.cycle(served, "SKL-BRG-001")
	s.cycle(used, "SKL-WKS-001")

	policy := document("crew", "accounts: [{key: crew, name: setup, password: keep}]")
	var check api.PolicyCheck
	s.until(func() bool {
		var err error
		check, err = s.owner.CheckPolicy(ctx, policy)
		require.NoError(t, err)
		return len(check.Exists) == 1 && check.Exists[0].Devices == 2
	})
	assert.Equal(t, api.ExistingAccount{Key: "crew", Name: "setup", Devices: 2}, check.Exists[0])

	file := filepath.Join(t.TempDir(), "former.csv")
	require.NoError(t, os.WriteFile(file, []byte("account,owner\nsetup,Workshop\n"), 0o600))
	out := s.rankwarden("take-over", "plan", file)
	assert.Regexp(t, `SKL-BRG-001\s+setup\s+Workshop\s+replace\s+in use by service tide-sync`, out)
	assert.Regexp(t, `SKL-WKS-001\s+setup\s+Workshop\s+adopt\s+last sign-in`, out)
	written := filepath.Join(t.TempDir(), "crew.yaml")
	require.NoError(t, os.WriteFile(written, []byte(policy), 0o600))
	assert.Contains(t, s.rankwarden("policy", "check", "--against-service", written), "exists already on 2 devices")

	s.publish("crew", "accounts: [{key: crew, name: setup, full_name: Crew, password: keep}]", 500, "everything")
	s.cycle(used, "SKL-WKS-001")
	s.cycle(served, "SKL-BRG-001")
	assert.Equal(t, "in_step", s.why("SKL-WKS-001").Device.Standing)
	assert.True(t, used.SignedIn(used.Find("setup")))
	assert.True(t, used.Opens(used.Find("setup"), "Quay-zero-7-is-long"))
	assert.True(t, served.SignedIn(served.Find("setup")))
	of, err := s.owner.AccountDevices(ctx, "setup", client.Page{})
	require.NoError(t, err)
	managed := map[string]string{}
	for _, x := range of.Items {
		managed[x.Device] = x.Key
	}
	assert.Equal(t, map[string]string{"SKL-WKS-001": "crew", "SKL-BRG-001": ""}, managed)
	why := unitWhy(s, "SKL-BRG-001", "accounts.crew")
	var words []string
	for _, f := range why.Findings {
		words = append(words, f.Words)
	}
	assert.Contains(t, strings.Join(words, "; "), "in use by service tide-sync")
}
