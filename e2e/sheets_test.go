package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/wire/sheet"
)

// kept is a rule of passwords that a view does not change.
var kept = strings.Replace(strings.Replace(desk, "%THEN%", "nothing", 1), "after_reveal: 2h, ", "", 1)

// opensOn reports whether the password of a device on a sheet opens its account.
func opensOn(t *testing.T, s *service, d *device, c sheet.Content, name string) bool {
	t.Helper()
	for _, p := range c.Passwords {
		if p.Device == name {
			return d.Opens(principal.MustSID(s.managed(d, name).SID), p.Password)
		}
	}
	require.Fail(t, "not on the sheet: "+name)
	return false
}

// heardFrom is when a device was last in contact, as it is stored, in seconds since 1970.
func (s *service) heardFrom(name string) int64 {
	at, err := query[int64](s.t, s.config.Database,
		"select extract(epoch from last_contact)::bigint from devices where name = '"+name+"'")
	require.NoError(s.t, err)
	return at
}

// A ship gets the passwords of its devices on a sealed sheet. It opens without the service, counts as a view of each,
// and is void once the devices were away and are back.
func TestASealedSheet(t *testing.T) {
	s := startBudget(t, 5)
	ctx := t.Context()
	s.publish("base", kept, 500, "everything")
	one, two := s.enrolled("SKL-TKT-001"), s.enrolled("SKL-TKT-002")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "tern", Devices: []string{"SKL-TKT-001", "SKL-TKT-002"}})
	require.NoError(t, err)
	support := s.as("nightwatch", "support")
	spec := api.SheetSpec{Group: "tern", Reason: "MV Tern, north route"}

	_, err = s.owner.MakeSheet(ctx, spec)
	problem(t, err, 403, "with the role owner you may not do this")
	_, err = s.as("dagny", "support", "tern").MakeSheet(ctx,
		api.SheetSpec{Devices: []string{"SKL-HQ-001"}, Reason: "r r"})
	problem(t, err, 404, "there is no device")
	for says, wrong := range map[string]api.SheetSpec{
		"say why":           {Group: "tern"},
		"name 1 to 100":     {Reason: "ticket 4711"},
		"is no recipient":   {Group: "tern", Reason: "ticket 4711", Recipient: "age1nobody"},
		"expected number":   {Group: "tern", Reason: "ticket 4711", Hours: 5000},
		"there is no group": {Group: "nowhere", Reason: "ticket 4711"},
	} {
		_, err = support.MakeSheet(ctx, wrong)
		require.ErrorContains(t, err, says)
	}

	made, err := support.MakeSheet(ctx, spec)
	require.NoError(t, err)
	assert.Equal(t, "made", made.State)
	assert.Equal(t, 2, made.Valid)
	assert.Len(t, strings.Fields(made.Passphrase), 10)
	opened, err := sheet.OpenWithWords(made.Page, made.Passphrase)
	require.NoError(t, err)
	require.Len(t, opened.Passwords, 2)
	assert.True(t, opensOn(t, s, one, opened, "SKL-TKT-001"))
	assert.True(t, opensOn(t, s, two, opened, "SKL-TKT-002"))
	views, err := s.owner.Reveals(ctx, client.PastQuery{}, client.Page{})
	require.NoError(t, err)
	require.Len(t, views.Items, 2)
	assert.Equal(t, "sealed sheet "+made.ID+": MV Tern, north route", views.Items[0].Reason)
	told, err := query[string](t, s.config.Database,
		"select actor || ' ' || object || ' ' || reason from audit_entries where action = 'sheet.made' and outcome "+
			"= 'done'")
	require.NoError(t, err)
	assert.Equal(t, "nightwatch "+made.ID+" MV Tern, north route", told)

	// While the devices are in contact the sheet stays good. Once they were away for an hour each is told, for when
	// it is back.
	for range 3 {
		s.clock.forward(20 * time.Minute)
		s.cycle(one, "SKL-TKT-001")
		s.until(func() bool { return s.heardFrom("SKL-TKT-001") >= s.clock.now().Add(-time.Minute).Unix() })
	}
	s.eventually(func() bool { return len(s.became("SKL-TKT-002")) > 0 }, "one was away")
	assert.Empty(t, s.became("SKL-TKT-001"))
	s.cycle(two, "SKL-TKT-002")
	s.carried(two, "SKL-TKT-002", "rotate done")
	assert.False(t, opensOn(t, s, two, opened, "SKL-TKT-002"))
	assert.True(t, opensOn(t, s, one, opened, "SKL-TKT-001"))
	now, err := support.Sheet(ctx, made.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, now.Valid)
	assert.NotNil(t, now.Devices[1].OrderedAt)

	// One that is away already is told at once, so that it cannot be back before.
	s.clock.forward(2 * time.Hour)
	require.NoError(t, support.SignInAgain(ctx, ownerPassword))
	away, err := support.MakeSheet(ctx, api.SheetSpec{Devices: []string{"SKL-TKT-002"}, Reason: "the line is down"})
	require.NoError(t, err)
	require.Equal(t, "made", away.State)
	assert.NotNil(t, away.Devices[0].OrderedAt)
	assert.Equal(t, "rotate queued", s.became("SKL-TKT-002")[0])

	// At its end every device is told.
	s.later(15 * 24 * time.Hour)
	s.eventually(func() bool { return len(s.became("SKL-TKT-001")) > 0 }, "the sheet has ended")
	s.cycle(one, "SKL-TKT-001")
	s.until(func() bool { return one.Cycle(ctx) == nil && !opensOn(t, s, one, opened, "SKL-TKT-001") })
	assert.Contains(t, s.rankwarden("password", "sheets"), "void: all are changed")
}

// Beyond the budget, and where a rule wants a password changed that was viewed, a second person approves a sheet.
// Nobody approves their own, and only whoever asked has it made.
func TestASealedSheetWithASecondPerson(t *testing.T) {
	s := startBudget(t, 1)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-TKT-002")
	first, second := s.as("nightwatch", "support"), s.as("daywatch", "support")
	spec := api.SheetSpec{Devices: []string{"SKL-TKT-001", "SKL-TKT-002", "skl-tkt-002"}, Reason: "the mast is down"}
	made, err := first.MakeSheet(ctx, spec)
	require.NoError(t, err)
	assert.Equal(t, "waiting", made.State)
	assert.Empty(t, made.Sealed+made.Passphrase)
	assert.Equal(t, []string{
		"it has 2 passwords, and one may see 1 within an hour alone",
		"a rule wants a password of SKL-TKT-002 changed after it was viewed, and the sheet keeps it good",
	}, made.Needs)
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Equal(t, "sheet nightwatch asks for a sealed sheet", o.Decisions[0].Kind+" "+o.Decisions[0].Title)

	_, err = first.CollectSheet(ctx, made.ID)
	problem(t, err, 409, "a second person must approve it first")
	problem(t, first.DecideSheet(ctx, made.ID, true), 403, "somebody else must approve it")
	problem(t, s.owner.DecideSheet(ctx, made.ID, true), 403, "owner")
	token, err := first.CreateToken(ctx, "cli", "", 5)
	require.NoError(t, err)
	problem(t, client.New(s.URL, token.Secret).DecideSheet(ctx, made.ID, true), 403, "")
	require.NoError(t, second.DecideSheet(ctx, made.ID, true))
	problem(t, second.DecideSheet(ctx, made.ID, false), 409, "does not wait any more")
	_, err = second.CollectSheet(ctx, made.ID)
	problem(t, err, 403, "nightwatch asked for this sheet")

	// On the command line, to a key of the ship.
	dir := t.TempDir()
	out, err := s.triedAs(first, "password", "sheet", "--approved", made.ID, "--out",
		filepath.Join(dir, "tern.txt"), "--print")
	require.NoError(t, err, out)
	assert.Contains(t, out, "2 passwords of 2 devices are in")
	_, words, _ := strings.Cut(out, "\n\n    ")
	words, _, _ = strings.Cut(words, "\n")
	text, err := os.ReadFile(filepath.Join(dir, "tern.txt"))
	require.NoError(t, err)
	opened, err := sheet.OpenWithWords(string(text), words)
	require.NoError(t, err)
	assert.True(t, opensOn(t, s, d, opened, "SKL-TKT-001"))
	_, err = first.CollectSheet(ctx, made.ID)
	problem(t, err, 409, "this sheet was made")

	out, err = s.triedAs(first, "password", "sheet", "--device", "SKL-TKT-001", "--reason", "again", "--out",
		filepath.Join(dir, "tern.txt"), "--print")
	require.Error(t, err)
	assert.Contains(t, out, "is there already")
	recipient := strings.TrimSpace(s.rankwarden("password", "sheet-key", filepath.Join(dir, "ship.key")))
	out, err = s.triedAs(first, "password", "sheet", "--device", "SKL-TKT-001", "--reason", "again",
		"--recipient", recipient, "--out", filepath.Join(dir, "tern.html"))
	require.Error(t, err, "it waits, since the rule wants a password changed that was viewed")
	assert.Contains(t, out, "waits for a second person")
	assert.NoFileExists(t, filepath.Join(dir, "tern.html"))
	sheets, err := s.owner.Sheets(ctx, client.Page{})
	require.NoError(t, err)
	id := sheets.Items[0].ID
	require.NoError(t, second.DecideSheet(ctx, id, true))
	out, err = s.triedAs(first, "password", "sheet", "--approved", id, "--out",
		filepath.Join(dir, "tern.html"), "--print")
	require.NoError(t, err, out)
	out, err = s.tried("password", "open-sheet", filepath.Join(dir, "tern.html"),
		"--key", filepath.Join(dir, "ship.key"),
		"--device", "skl-tkt-001", "--print", "-o", "json")
	require.NoError(t, err, out)
	var c sheet.Content
	require.NoError(t, json.Unmarshal([]byte(out), &c), out)
	assert.True(t, opensOn(t, s, d, c, "SKL-TKT-001"))
	out, err = s.tried("password", "open-sheet", filepath.Join(dir, "tern.html"))
	require.Error(t, err)
	assert.Contains(t, out, "a terminal only")
}
