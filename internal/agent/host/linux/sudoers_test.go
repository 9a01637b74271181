//go:build linux

package linux

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
)

// A line leads to root by what runs as root, on this host, and not where sudo asks for the password of root.
func TestWhomSudoersLeadToRoot(t *testing.T) {
	const everything = `"Cmnd_Specs": [{"runasusers": [{"username": "ALL"}], "Commands": [{"command": "ALL"}]}]`
	line := func(who, rest string) string { return `{"User_List": [` + who + `], ` + rest + `}` }
	for name, c := range map[string]struct {
		defaults, spec string
		who            string
		root           string
	}{
		"everything":       {"", line(`{"username": "dave"}`, everything), "dave", "ALL"},
		"a group":          {"", line(`{"usergroup": "admin"}`, everything), "%admin", "ALL"},
		"a number":         {"", line(`{"userid": 1005}`, everything), "#1005", "ALL"},
		"everybody":        {"", line(`{"username": "ALL"}`, everything), "ALL", "ALL"},
		"a domain's group": {"", line(`{"nonunixgroup": "keepers"}`, everything), "%:keepers", "ALL"},
		"not meant":        {"", line(`{"username": "dave", "negated": true}`, everything), "", ""},
		"root itself":      {"", line(`{"username": "root"}`, everything), "", ""},
		"another " +
			"host": {"", line(`{"username": "dave"}`, `"Host_List": [{"hostname": "elsewhere"}], `+everything), "", ""},
		"this " +
			"host": {"", line(`{"username": "dave"}`, `"Host_List": [{"hostname": "pier"}], `+everything), "dave", "ALL"},
		"as somebody " +
			"else": {"", line(`{"username": "dave"}`, `"Cmnd_Specs": [{"runasusers": [{"username": "tide"}], "Commands": [{"command": "ALL"}]}]`), "dave", ""},
		"an " +
			"editor": {"", line(`{"username": "dave"}`, `"Cmnd_Specs": [{"Commands": [{"command": "/usr/bin/vi"}]}]`), "dave", "/usr/bin/vi"},
		"a " +
			"restart": {"", line(`{"username": "dave"}`, `"Cmnd_Specs": [{"Commands": [{"command": "/usr/bin/systemctl restart tide"}]}]`), "dave", ""},
		"root's password": {`{"Options": [{"targetpw": true}]}`, line(`{"username": "ALL"}`, everything), "ALL", ""},
		"without asking " +
			"it": {`{"Options": [{"rootpw": true}]}`, line(`{"username": "dave"}`, `"Cmnd_Specs": [{"Options": [{"authenticate": false}], "Commands": [{"command": "ALL"}]}]`), "dave", "ALL"},
	} {
		list, err := parseSudoers(`{"Defaults": [`+c.defaults+`], "User_Specs": [`+c.spec+`]}`, "pier.skerryline.example",
			func(who string) string { return "of " + who })
		require.NoError(t, err, name)
		if c.who == "" {
			assert.Empty(t, list, name)
			continue
		}
		require.Len(t, list, 1, name)
		assert.Equal(t, []string{c.who, c.root, "of " +
			"" + c.who}, []string{list[0].who.text, list[0].root, list[0].via}, name)
	}
	_, err := parseSudoers("{", "", nil)
	assert.ErrorContains(t, err, "cvtsudoers")
}

func TestWhatLeadsToRoot(t *testing.T) {
	for command, leads := range map[string]bool{
		"ALL": true, "/bin/sh": true, "/usr/bin/": true, "/usr/bin/python3.11": true, "/usr/local/bin/*": true,
		"sudoedit /etc/motd": true, "/usr/bin/systemctl": true, "/usr/bin/systemctl edit tide": true,
		"/usr/bin/apt-get": true, "/usr/bin/less /var/log/syslog": true,
		"/usr/bin/systemctl restart tide": false, "/usr/bin/apt-get update": false, "/usr/local/bin/tide-sync": false,
		"/usr/bin/id": false,
	} {
		assert.Equal(t, leads, leadsToRoot(command), command)
	}
}

func TestWhatIsReportedOfSudoers(t *testing.T) {
	d := database{
		people: []person{{name: "dave", uid: 1001}, {name: "tide", uid: 1002}},
		groups: []group{{name: "sudo", gid: 27}, {name: "crew", gid: 1005}},
	}
	s := sudoers{known: true, specs: []sudoSpec{
		{who: sudoWho{text: "%sudo", name: "sudo", id: -1, group: true}, commands: []string{"ALL"},
			root: "ALL", via: "a"},
		{who: sudoWho{text: "#1002", id: 1002}, commands: []string{"/bin/ls"}, via: "b"},
		{who: sudoWho{text: "gone", name: "gone", id: -1}, commands: []string{"/bin/ls"}, via: "b"},
	}}
	assert.Equal(t, []drift.Sudo{
		{Name: "%sudo", SID: d.sidOf(d.groups[0]), Via: "a", Commands: []string{"ALL"}, Root: true},
		{Name: "#1002", SID: personSID(1002), Via: "b", Commands: []string{"/bin/ls"}},
		{Name: "gone", Via: "b", Commands: []string{"/bin/ls"}},
	}, s.sudo(d))
}

// Somebody is found where a line or an alias names them, in files that are included too.
func TestWhichFileOfSudoersNamesSomebody(t *testing.T) {
	dir := t.TempDir()
	written(t, filepath.Join(dir, "sudoers.d", "crew"), "User_Alias CREW = erlend, %deck\nCREW ALL = ALL\n")
	written(t, filepath.Join(dir, "sudoers.d", "left.out"), "dave ALL = ALL\n")
	written(t, filepath.Join(dir, "more"), "dave\tALL=(ALL) ALL\n")
	main := written(t, filepath.Join(dir, "sudoers"), "# dave is not here\n@includedir sudoers.d\n@include "+
		filepath.Join(dir, "more")+"\n@include sudoers\n")
	files := sudoersFiles(main)
	assert.Equal(t, []string{main, filepath.Join(dir, "sudoers.d", "crew"), filepath.Join(dir, "more")}, files)
	where := wordsOf(files)
	assert.Equal(t, files[1], where("erlend"))
	assert.Equal(t, files[1], where("%deck"))
	assert.Equal(t, files[2], where("dave"))
	assert.Equal(t, main, where("nobody"))
}

func TestWhomPolkitTakesForAnAdministrator(t *testing.T) {
	dir := t.TempDir()
	before, legacy := polkitRules, polkitLegacy
	t.Cleanup(func() { polkitRules, polkitLegacy = before, legacy })
	polkitRules = []string{filepath.Join(dir, "etc"), filepath.Join(dir, "usr")}
	polkitLegacy = filepath.Join(dir, "legacy")
	written(t, filepath.Join(dir, "etc", "49.rules"), `// polkit.addAdminRule(function() { return ["unix-user:not"] })
polkit.addRule(function(action, subject) { if (subject.isInGroup("x")) return "unix-user:neither" });
polkit.addAdminRule(function(action, subject) { return ["unix-user:dave", "unix-group:deck"]; });
polkit.addAdminRule(function(action, subject) { return ["unix-user:0"]; });`)
	written(t, filepath.Join(dir, "usr", "49.rules"), `polkit.addAdminRule(function() { return ["unix-user:hidden"] })`)
	written(t, filepath.Join(dir, "legacy", "60.conf"),
		"[Configuration]\nAdminIdentities=unix-user:erlend;unix-group:sudo\n")
	var who []string
	for _, r := range readPolkit() {
		who = append(who, r.who.text)
	}
	assert.Equal(t, []string{"dave", "%deck", "0", "erlend", "%sudo"}, who)
}
