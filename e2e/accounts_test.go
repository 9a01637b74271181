package e2e

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
)

// What devices have is known without anybody asking for it: accounts by name, who is an administrator where, and what
// changed.
func TestWhatIsThere(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	one, two := s.enrolled("SKL-WKS-001"), s.enrolled("SKL-WKS-002")
	one.AddAccount("fitter")
	two.AddAccount("fitter")
	one.AddAccount("counter")
	require.NoError(t, one.Join("administrators", "counter"))
	s.cycle(one, "SKL-WKS-001")
	s.cycle(two, "SKL-WKS-002")

	names := func(q client.AccountQuery) map[string]api.AccountName {
		list, err := s.owner.Accounts(ctx, q, client.Page{})
		require.NoError(t, err)
		found := map[string]api.AccountName{}
		for _, n := range list.Items {
			found[n.Name] = n
		}
		return found
	}
	s.until(func() bool { return names(client.AccountQuery{Unknown: true})["fitter"].Devices == 2 })
	unknown := names(client.AccountQuery{Unknown: true})
	assert.Equal(t, api.AccountName{Name: "fitter", Devices: 2, Enabled: 2}, unknown["fitter"])
	assert.Equal(t, api.AccountName{Name: "counter", Devices: 1, Enabled: 1, Privileged: 1}, unknown["counter"])
	assert.Contains(t, names(client.AccountQuery{Privileged: true}), "counter")
	assert.NotContains(t, names(client.AccountQuery{Privileged: true}), "fitter")
	assert.Len(t, names(client.AccountQuery{Search: "FITT"}), 1)

	found := func(search string) (devices []string) {
		list, err := s.owner.Devices(ctx, client.DeviceQuery{Search: search}, client.Page{})
		require.NoError(t, err)
		for _, d := range list.Items {
			devices = append(devices, d.Name)
		}
		return devices
	}
	assert.Equal(t, []string{"SKL-WKS-001"}, found("Coun"), "a device is found by an account's beginning")
	assert.Len(t, found("fitter"), 2)
	for _, search := range []string{"ounter", "fi", "guest"} { // not by less, and not by built-in accounts
		assert.Empty(t, found(search), search)
	}

	where, err := s.owner.Memberships(ctx, "counter", false, client.Page{})
	require.NoError(t, err)
	require.Len(t, where.Items, 1)
	assert.Equal(t, "SKL-WKS-001", where.Items[0].Device)
	assert.Equal(t, "administrators", where.Items[0].LocalGroup)
	assert.True(t, where.Items[0].Local)
	same, err := s.owner.Memberships(ctx, "sid:"+where.Items[0].SID, false, client.Page{})
	require.NoError(t, err)
	assert.Equal(t, where.Items, same.Items, "an identifier finds the same")
	_, err = s.owner.Memberships(ctx, "user:nobody@skerryline.example", false, client.Page{})
	problem(t, err, 422, "the directory does not know user:nobody@skerryline.example")
	_, err = s.owner.Memberships(ctx, "account:mooring", false, client.Page{})
	problem(t, err, 422, "another account on each device")

	admins, err := s.owner.Administrators(ctx, "SKL-WKS-001")
	require.NoError(t, err)
	var members []string
	for _, m := range admins {
		members = append(members, m.Name)
	}
	assert.Contains(t, members, "counter")

	changed := func() []string {
		list, err := s.owner.InventoryChanges(ctx, "SKL-WKS-001", client.Page{})
		require.NoError(t, err)
		var words []string
		for _, c := range list.Items {
			words = append(words, c.Words)
		}
		return words
	}
	before := changed()
	require.NoError(t, one.RemoveMember(ctx, groupOf(t, one, "administrators"), one.Find("counter")))
	s.cycle(one, "SKL-WKS-001")
	assert.Equal(t, append([]string{"counter left administrators"}, before...), changed())
	where, err = s.owner.Memberships(ctx, "counter", false, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, where.Items)

	// Nobody learns of devices out of reach.
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "second", Devices: []string{"SKL-WKS-002"}})
	require.NoError(t, err)
	second := s.as("liv", "support", "second")
	list, err := second.Accounts(ctx, client.AccountQuery{Search: "fitter"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, 1, list.Items[0].Devices)
	on, err := second.AccountDevices(ctx, "fitter", client.Page{})
	require.NoError(t, err)
	require.Len(t, on.Items, 1)
	assert.Equal(t, "SKL-WKS-002", on.Items[0].Device)
	_, err = second.Administrators(ctx, "SKL-WKS-001")
	problem(t, err, 404, "SKL-WKS-001")
}

// Whoever is an administrator through groups of the directory is found with the way, and who wants that is said.
func TestWhoThroughTheDirectory(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	source := demoDirectory(t)
	_, err := s.owner.ImportDirectory(ctx, []byte(source), false, false)
	require.NoError(t, err)
	s.publish("base", `membership:
  - {local_group: administrators, mode: adjust, members: ["group:Fleet Support@skerryline.example"]}`, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	m := d.Machine()
	m.Directory = []principal.SID{principal.MustSID("S-1-5-21-70-80-90-1201")}
	reboot(s, d, m)
	s.cycle(d, "SKL-WKS-001")

	where, err := s.owner.Memberships(ctx, "user:odd.kvale@skerryline.example", false, client.Page{})
	require.NoError(t, err)
	require.Len(t, where.Items, 1)
	got := where.Items[0]
	assert.Equal(t, []string{"group:fleet support@skerryline.example", "group:desk support@skerryline.example",
		"group:northwick support@skerryline.example"}, got.Through)
	assert.Equal(t, []string{"base"}, got.WantedBy)
	assert.Equal(t, "fleet support@skerryline.example", got.Name)

	admins, err := s.owner.Administrators(ctx, "SKL-WKS-001")
	require.NoError(t, err)
	people := map[string][]string{}
	for _, m := range admins {
		people[m.Name] = m.Through
	}
	assert.Len(t, people["odd.kvale@skerryline.example"], 3)
	assert.Len(t, people["asta.holm@skerryline.example"], 1)
	// Whoever leaves a group of the directory is no longer found there.
	source = strings.ReplaceAll(source, "member: cn=Northwick Support,ou=groups,dc=skerryline,dc=example\n", "")
	_, err = s.owner.ImportDirectory(ctx, []byte(source), false, false)
	require.NoError(t, err)
	where, err = s.owner.Memberships(ctx, "user:odd.kvale@skerryline.example", false, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, where.Items)
}

// What accounts are used for is told: services and tasks, the last sign-in, and what sudoers allow.
func TestWhatAccountsAreUsedFor(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 8}", 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	tide := d.AddAccount("tide")
	d.Serve("service tide-sync", tide)
	d.AllowSudo(drift.Sudo{Name: "tide", SID: tide, Via: "/etc/sudoers.d/tide", Commands: []string{"ALL"}, Root: true})
	require.NoError(t, d.SetPassword(ctx, tide, "Quay-zero-7-is-long"))
	require.NoError(t, d.SignIn("tide", "Quay-zero-7-is-long"))
	s.cycle(d, "SKL-WKS-001")

	of, err := s.owner.AccountDevices(ctx, "tide", client.Page{})
	require.NoError(t, err)
	require.Len(t, of.Items, 1)
	assert.Equal(t, []string{"service tide-sync"}, of.Items[0].Runs)
	require.NotNil(t, of.Items[0].LastSignIn)
	assert.True(t, of.Items[0].Privileged, "sudoers make it one")
	where, err := s.owner.Memberships(ctx, "tide", false, client.Page{})
	require.NoError(t, err)
	require.Len(t, where.Items, 1)
	assert.Equal(t, "sudoers", where.Items[0].LocalGroup)
	assert.Equal(t, "/etc/sudoers.d/tide: ALL", where.Items[0].Via)
	s.until(func() bool {
		list, err := s.owner.Devices(ctx, client.DeviceQuery{Unknown: "privileged"}, client.Page{})
		require.NoError(t, err)
		return len(list.Items) == 1
	})
}

func demoDirectory(t *testing.T) string {
	t.Helper()
	source, err := os.ReadFile("../demo/directory.ldif")
	require.NoError(t, err)
	return string(source)
}

// groupOf is the identifier of a local group.
func groupOf(t *testing.T, d *device, name string) principal.SID {
	t.Helper()
	for _, g := range stateOf(t, d).LocalGroups {
		if g.LocalGroup == name {
			return g.SID
		}
	}
	require.FailNow(t, "no such group", name)
	return principal.SID{}
}
