package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
)

// closed is a policy that closes administrators around the built-in one and another principal.
func closed(name, member string) string {
	return document(name, "membership: [{local_group: administrators, mode: exact, members: ["+member+"]}]")
}

// outsider is somebody of another domain.
const outsider = "sid:S-1-5-21-1-2-3-1104"

// aimAt is the edit that aims a policy at groups under its own name.
func aimAt(policy string, rank int, basedOn int64, groups ...string) api.ChangeEdit {
	return api.ChangeEdit{
		Kind:       "assign",
		Name:       policy,
		BasedOn:    basedOn,
		Assignment: &api.Aim{Policy: policy, Include: groups, Rank: assign.Rank(rank)},
	}
}

func words(p api.Preview) (list []string) {
	for _, s := range p.Sums {
		list = append(list, fmt.Sprint(s.Devices, " ", s.Words))
	}
	return list
}

// A change is drafted by several people, previewed, and goes out whole; until then no device feels it.
func TestAChangeIsDraftedPreviewedAndApplied(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	one, two := s.enrolled("SKL-WKS-001"), s.enrolled("SKL-WKS-002")
	author, deployer := s.as("dagny", "author"), s.as("sigurd", "deployer")

	_, err := author.CreateChange(ctx, "close-workshop", "Close the workshop", "audit 11")
	require.NoError(t, err)
	_, err = author.AddEdit(ctx, "close-workshop", aimAt("workshop", 100, 0, "workshop"))
	problem(t, err, http.StatusUnprocessableEntity, `there is no policy "workshop"`)
	for _, e := range []api.ChangeEdit{
		{Kind: "group", Name: "workshop", Group: &api.GroupBody{Devices: []string{"skl-wks-001"}}},
		{Kind: "publish", Name: "workshop", Document: closed("workshop", outsider)},
		aimAt("workshop", 100, 0, "workshop"),
	} {
		_, err = author.AddEdit(ctx, "close-workshop", e)
		require.NoError(t, err)
	}
	_, err = author.AddEdit(ctx, "close-workshop", api.ChangeEdit{Kind: "drop_group", Name: "wrkshop"})
	problem(t, err, http.StatusUnprocessableEntity, `did you mean "workshop"?`)
	_, err = s.owner.AddEdit(ctx, "close-workshop", api.ChangeEdit{
		Kind: "publish", Name: "base", Document: document("base", "passwords: {min_length: 12}"), BasedOn: 2,
	})
	require.NoError(t, err)
	x, err := author.Change(ctx, "close-workshop")
	require.NoError(t, err)
	require.Len(t, x.Edits, 4)
	assert.Equal(t, "asta", x.Edits[3].EditedBy)
	assert.Empty(t, x.Problem)
	_, err = s.owner.Policy(ctx, "workshop")
	problem(t, err, http.StatusNotFound, "workshop")

	p, err := author.PreviewChange(ctx, "close-workshop")
	require.NoError(t, err)
	assert.Equal(t, []string{
		"1 an administrator leaves, and no break-glass account is left",
		"1 mooring leaves administrators",
		"1 S-1-5-21-1-2-3-1104 joins administrators",
		"2 minimum length gets stricter: 8 characters → 12 characters",
	}, words(p))
	assert.True(t, p.TakesAway)
	assert.Equal(t, []int{2, 2, 0}, []int{p.Fleet, p.Devices, p.NotReported})
	page, err := author.PreviewDevices(ctx, "close-workshop", client.Page{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "SKL-WKS-001", page.Items[0].Device)
	page, err = author.PreviewDevices(ctx, "close-workshop", client.Page{Limit: 1, Cursor: page.Next})
	require.NoError(t, err)
	assert.Equal(t, "SKL-WKS-002", page.Items[0].Device)
	assert.Equal(t, []string{"minimum length gets stricter: 8 characters → 12 characters"}, effectWords(page.Items[0]))
	assert.Empty(t, page.Next)
	live, err := author.PreviewEdits(ctx, []api.ChangeEdit{aimAt("base", 500, 1, "everything")})
	require.NoError(t, err)
	assert.Zero(t, live.Devices, "an edit that says what is in force does nothing")

	// An author cannot let it out; whoever may must have seen what it does now.
	_, err = author.ApplyChange(ctx, "close-workshop", p.Digest)
	problem(t, err, http.StatusForbidden, "may not do this")
	_, err = deployer.AddEdit(ctx, "close-workshop", aimAt("base", 1, 1, "everything"))
	problem(t, err, http.StatusForbidden, "may not do this")
	_, err = deployer.ApplyChange(ctx, "close-workshop", "sha-256:other")
	problem(t, err, http.StatusConflict, "no longer what you saw")

	// Somebody publishes the same policy meanwhile: the change says so, and waits until somebody chose.
	base, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	base, err = s.owner.SavePolicy(ctx, "base", document("base", "passwords: {min_length: 9}"), base.Version)
	require.NoError(t, err)
	x, err = deployer.Change(ctx, "close-workshop")
	require.NoError(t, err)
	assert.True(t, x.Edits[3].Conflict)
	_, err = deployer.ApplyChange(ctx, "close-workshop", p.Digest)
	problem(t, err, http.StatusPreconditionFailed, "somebody else altered policy base")
	chosen := x.Edits[3].ChangeEdit
	chosen.BasedOn = x.Edits[3].Now
	_, err = author.AddEdit(ctx, "close-workshop", chosen)
	require.NoError(t, err)

	s.cycle(one, "SKL-WKS-001")
	assert.Len(t, membersOf(t, one, "administrators"), 2, "nothing was altered yet")
	p, err = deployer.PreviewChange(ctx, "close-workshop")
	require.NoError(t, err)
	done, err := deployer.ApplyChange(ctx, "close-workshop", p.Digest)
	require.NoError(t, err)
	assert.Equal(t, "done", done.State)
	s.cycle(one, "SKL-WKS-001")
	s.cycle(two, "SKL-WKS-002")
	assert.Equal(t, 12, *stateOf(t, one).Passwords.MinLength)
	assert.Equal(t, 12, *stateOf(t, two).Passwords.MinLength)
	base, err = s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 2, base.Revision)
	_, err = deployer.ApplyChange(ctx, "close-workshop", p.Digest)
	problem(t, err, http.StatusConflict, "is done and cannot be altered")
	history, err := author.ChangeHistory(ctx, "close-workshop", client.Page{})
	require.NoError(t, err)
	assert.Equal(t, "applied", history.Items[0].What)
	assert.Equal(t, "created", history.Items[len(history.Items)-1].What)
	trail, err := query[string](
		t,
		s.config.Database,
		"select string_agg(action || ' ' || object, ', ' order by seq) from audit_entries "+
			"where action like '%.published' or action = 'assignment.made' or action = 'change.applied'",
	)
	require.NoError(t, err)
	assert.Contains(
		t,
		trail,
		"change.applied close-workshop, policy.published workshop, assignment.made workshop, policy.published base",
	)
}

func effectWords(d api.AffectedDevice) (list []string) {
	for _, e := range d.Effects {
		list = append(list, e.Words)
	}
	return list
}

func stateOf(t *testing.T, d *device) drift.State {
	state, err := d.Read(t.Context())
	require.NoError(t, err)
	return state
}

func membersOf(t *testing.T, d *device, group string) []string {
	state := stateOf(t, d)
	g, there := state.Group(group)
	require.True(t, there)
	var names []string
	for _, m := range g.Members {
		names = append(names, m.Name)
	}
	return names
}

// What is pasted, misspelt or gone by now is refused clearly, and loses nothing.
func TestBadInputToAChange(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.enrolled("SKL-WKS-00001")
	_, err := s.owner.CreateChange(ctx, "wide", "", "")
	require.NoError(t, err)
	pasted := func(n int) *api.GroupBody {
		body := &api.GroupBody{}
		for i := range n {
			body.Devices = append(body.Devices, fmt.Sprintf("SKL-WKS-%05d", i))
		}
		return body
	}
	_, err = s.owner.AddEdit(ctx, "wide", api.ChangeEdit{Kind: "group", Name: "many", Group: pasted(20_001)})
	problem(t, err, http.StatusUnprocessableEntity, "20000")
	_, err = s.owner.AddEdit(ctx, "wide", api.ChangeEdit{Kind: "group", Name: "many", Group: pasted(10_000)})
	require.NoError(t, err)
	_, err = s.owner.AddEdit(ctx, "wide", aimAt("base", 400, 1, "many"))
	require.NoError(t, err)
	for says, e := range map[string]api.ChangeEdit{
		"line 1, column 7": {Kind: "group", Name: "ruled",
			Group: &api.GroupBody{Rule: "device.nmae == 'x'"}},
		"either a list of devices or a rule": {Kind: "group", Name: "both",
			Group: &api.GroupBody{Rule: "true", Devices: []string{"a"}}},
		`cannot name a group`:          {Kind: "group", Name: "No name", Group: pasted(1)},
		`there is no assignment "bse"`: {Kind: "withdraw", Name: "bse"},
		"is named \"other\"": {Kind: "publish", Name: "base",
			Document: document("other", "lockout: {threshold: 3}")},
		"the policy cannot be used": {Kind: "publish", Name: "base",
			Document: document("base", "lockout: {threshold: many}")},
		"no device": {Kind: "assign", Name: "none",
			Assignment: &api.Aim{Policy: "base", Include: []string{"everything"}, Exclude: []string{"everything"},
				Rank: 1}},
	} {
		_, err = s.owner.AddEdit(ctx, "wide", e)
		problem(t, err, http.StatusUnprocessableEntity, says)
	}
	_, err = s.owner.AddEdit(ctx, "gone", aimAt("base", 1, 1, "everything"))
	problem(t, err, http.StatusNotFound, `there is no change "gone"`)
	x, err := s.owner.Change(ctx, "wide")
	require.NoError(t, err)
	assert.Len(t, x.Edits, 2)
	p, err := s.owner.PreviewChange(ctx, "wide")
	require.NoError(t, err)
	assert.Zero(t, p.Devices, "who meets it met it before")

	// What the change is about is deleted meanwhile: it says so, and cannot go out.
	a, err := s.owner.Assignment(ctx, "base")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(ctx, "base", a.Version))
	x, err = s.owner.Change(ctx, "wide")
	require.NoError(t, err)
	assert.True(t, x.Edits[1].Conflict)
	assert.Zero(t, x.Edits[1].Now)
	_, err = s.owner.AddEdit(ctx, "wide", api.ChangeEdit{Kind: "drop_group", Name: "many"})
	problem(t, err, http.StatusUnprocessableEntity, `there is no group "many"`)
	_, err = s.owner.ApplyChange(ctx, "wide", p.Digest)
	problem(t, err, http.StatusPreconditionFailed, "")
	_, err = s.owner.DropChange(ctx, "wide", "too late")
	require.NoError(t, err)
	_, err = s.owner.AddEdit(ctx, "wide", aimAt("base", 1, 0, "everything"))
	problem(t, err, http.StatusConflict, "is dropped and cannot be altered")
}

// The starting points that the console offers for a policy have no problem.
func TestStartingPointsOfAPolicyAreValid(t *testing.T) {
	source, err := os.ReadFile("../console/src/places/policies/starts.ts")
	require.NoError(t, err)
	starts := regexp.MustCompile("(?s)source: `([^`]+)`").FindAllSubmatch(source, -1)
	require.Len(t, starts, 3)
	for _, start := range starts {
		doc, problems := policy.Parse(start[1], nil)
		require.NotNil(t, doc)
		assert.Empty(t, problems, doc.Name)
	}
}

// The command drafts, previews and applies; an organisation goes into a folder and comes back.
func TestChangesAndFoldersByCommand(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	_, err := s.owner.CreateGroup(
		ctx,
		client.GroupSpec{Name: "workshop", Devices: []string{"SKL-WKS-001", "SKL-WKS-002"}},
	)
	require.NoError(t, err)
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "newer", Rule: "device.os_build >= 22000"})
	require.NoError(t, err)
	s.enrolled("SKL-WKS-001")
	token, err := s.owner.CreateToken(ctx, "test", "", 1)
	require.NoError(t, err)
	dir := t.TempDir()
	run := func(status int, args ...string) string {
		t.Helper()
		cmd := exec.Command(filepath.Join(binaries, "rankwarden"), args...)
		cmd.Dir, cmd.Env = dir, []string{
			"HOME=" + dir,
			"RANKWARDEN_SERVER=" + s.URL,
			"RANKWARDEN_TOKEN=" + token.Secret,
		}
		out, err := cmd.CombinedOutput()
		got := 0
		if exit, ok := err.(*exec.ExitError); ok {
			got = exit.ExitCode()
		}
		require.Equal(t, status, got, "%v: %s", args, out)
		return string(out)
	}
	run(0, "export", "organisation")
	assert.Contains(t, run(0, "change", "from", "organisation", "--dry-run"), "Nothing differs.")
	assert.Contains(t, run(2, "export", "organisation"), "is not empty")
	assert.Contains(t, run(2, "change", "from", "organisation"), "give the change a name")
	groups, err := os.ReadFile(filepath.Join(dir, "organisation", "groups.yaml"))
	require.NoError(t, err)
	assert.Contains(t, string(groups), "rule: device.os_build >= 22000")

	write := func(name, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "organisation", name), []byte(content), 0o600))
	}
	write("policies/closed.yaml", closed("closed", outsider))
	write("assignments.yaml", "- {name: closed, policy: closed, include: [workshop], rank: 100}\n")
	out := run(1, "change", "from", "organisation", "--dry-run", "--remove")
	assert.Contains(t, out, "withdraw    base")
	assert.Contains(t, out, "mooring leaves administrators")
	out = run(0, "change", "from", "organisation", "--name", "release-42", "--title", "From the folder")
	assert.Contains(t, out, "Added 2 edits to the change release-42: publish closed, assign closed.")
	write("assignments.yaml", "- {name: closed, polcy: closed}\n")
	assert.Contains(t, run(2, "change", "from", "organisation", "--dry-run"), "field polcy not found")

	out = run(1, "preview", "release-42")
	assert.Contains(t, out, "release-42: 2 edits, 1 of 1 device affected\n\nLoses access\n")
	assert.Contains(t, out, "▲ 1  mooring leaves administrators\n")
	var document struct {
		Format   string
		Devices  int
		Affected []struct{ Device string }
	}
	require.NoError(t, json.Unmarshal([]byte(run(1, "preview", "release-42", "-o", "json")), &document))
	assert.Equal(t, "rankwarden.preview/1", document.Format)
	require.Len(t, document.Affected, document.Devices)
	assert.Contains(t, run(1, "preview", "release-42", "--device", "SKL-WKS-001"), "▲ mooring leaves administrators")

	run(0, "assignment", "set", "base", "--rank", "400", "--change", "release-42")
	run(0, "group", "edit", "workshop", "--add", "SKL-WKS-003", "--remove", "skl-wks-002", "--change", "release-42")
	run(0, "group", "create", "spare", "SKL-WKS-009", "--change", "release-42")
	assert.Contains(t, run(0, "change", "show", "release-42"), "group       workshop                 2 devices")
	run(0, "change", "remove", "release-42", "group", "spare")
	assert.Contains(t, run(0, "change", "list"), "From the folder")
	assert.Contains(t, run(2, "change", "apply", "release-42"), "use --yes")
	run(0, "assignment", "set", "base", "--rank", "450")
	assert.Contains(
		t,
		run(0, "change", "show", "release-42"),
		"altered by somebody else since; run: rankwarden change keep release-42 assignment base",
	)
	assert.Contains(t, run(3, "change", "apply", "release-42", "--yes"), "somebody else altered assignment base")
	run(0, "change", "keep", "release-42", "assignment", "base")
	assert.Contains(t, run(2, "change", "apply", "release-42", "--yes"), "say why with --reason")
	assert.Contains(t, run(0, "change", "apply", "release-42", "--yes", "--reason", "release 42"),
		"Applied release-42 to all devices at once.")
	a, err := s.owner.Assignment(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 400, a.Rank)
	assert.Contains(t, run(0, "change", "history", "release-42"), "applied")
	members, err := s.owner.GroupDevices(ctx, "workshop", client.Page{})
	require.NoError(t, err)
	assert.Equal(
		t,
		"SKL-WKS-001 skl-wks-003",
		strings.Join([]string{members.Items[0].Device, members.Items[1].Device}, " "),
	)
	run(0, "change", "create", "never")
	run(0, "change", "drop", "never", "--reason", "not wanted")
	assert.Contains(t, run(0, "change", "list"), "No open changes.")
}
