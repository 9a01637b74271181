package e2e

import (
	"encoding/csv"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

const many = 2500

// crowd puts many devices into the database, each with one open finding.
func (s *service) crowd() {
	s.enrolmentToken(1)
	for _, statement := range []string{
		fmt.Sprintf(`insert into devices (id, name, name_key, serial, model, platform, os_version, os_build, state,
			public_key, key_id, token_id, enrolled_at, last_contact, open_findings,
				desired_number, reported_number, reported_epoch)
			select lpad(i::text, 26, '0'), 'SKL-BIG-' || lpad(i::text, 5, '0'), 'skl-big-' || lpad(i::text, 5, '0'),
			'SL-' || i,
			'Box', 'windows', '10', 1, 'live',
			decode(lpad(to_hex(i), 64, '0'), 'hex'), 'k' || i, (select id from enrolment_tokens limit 1), now(), now(),
			1, 1, 1,
			1 from generate_series(1, %d) i`, many),
		`insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
			last_seen)
			select id, 'k', case when os_build = 1 and right(name, 1) = '7' then 'lockout'
			else 'passwords.min_length' end,
			'wrong_value', '',
			case when right(name, 1) = '7' then '{"threshold": 5, "duration_minutes": 15, "window_minutes": 15}'
			else '12'
			end::jsonb,
			case when right(name, 1) = '7' then '{"threshold": 0}' else '8' end::jsonb, '["base"]', 'open', now(),
			now() from
			devices`,
		`insert into groups values ('g1', 'sevens', '', 1, now(), now())`,
		`insert into members select 'g1', id from devices where right(name, 1) = '7'`,
		`insert into groups values ('g2', 'all-of-them', '', 1, now(), now())`,
		`insert into members select 'g2', id from devices`,
		`insert into groups values ('g3', 'the-first', '', 1, now(), now())`,
		`insert into members select 'g3', id from devices order by id limit 100`,
		`notify rankwarden, '{"topic": "devices"}'`, // as the service does, so that its lists follow
	} {
		require.NoError(s.t, change(s.t, s.config.Database, statement))
	}
	s.Changed(s.t.Context())
}

func TestLargeListsAreWholeAndPaged(t *testing.T) {
	s := start(t)
	s.crowd()
	ctx := t.Context()
	distinct := func(names []string) map[string]bool {
		set := map[string]bool{}
		for _, n := range names {
			set[n] = true
		}
		return set
	}
	for want, q := range map[int]client.DeviceQuery{many: {}, many / 10: {Group: "sevens"}, 11: {Search: "big-0123"},
		1: {Search: "SL-777"}, 0: {Standing: "silent"}} {
		if want == 11 { // 01230 to 01239, and no other
			want = 10
		}
		devices, err := client.All(0, func(p client.Page) (client.List[api.Device], error) {
			p.Limit = 99
			return s.owner.Devices(ctx, q, p)
		})
		require.NoError(t, err)
		var names []string
		for _, d := range devices {
			names = append(names, d.Name)
			assert.Equal(t, "drifted", d.Standing)
		}
		assert.Len(t, distinct(names), want, "%+v", q)
		assert.Len(t, devices, want, "each once")
		assert.IsIncreasing(t, append([]string{""}, names...))
	}
	for want, q := range map[int]client.FindingQuery{many: {}, many / 10: {Unit: "lockout"},
		many * 9 / 10: {Unit: "passwords.min_length", Kind: "wrong_value"}, 0: {State: "closed"}} {
		findings, err := client.All(
			0,
			func(p client.Page) (client.List[api.Finding], error) { return s.owner.Findings(ctx, q, p) },
		)
		require.NoError(t, err)
		assert.Len(t, findings, want, "%+v", q)
		ids := map[int64]bool{}
		for _, f := range findings {
			ids[f.ID] = true
		}
		assert.Len(t, ids, want, "each once")
	}
	sevens, err := s.owner.Findings(ctx, client.FindingQuery{Group: "sevens"}, client.Page{Limit: 1})
	require.NoError(t, err)
	assert.Equal(
		t,
		"never locks instead of after 5 wrong attempts within 15 min, locked for 15 min",
		sevens.Items[0].Words,
	)
	for by, want := range map[string]api.FindingCounts{
		"assignment": {Items: []api.FindingCount{{Name: "base", Findings: many, Devices: many}}},
		"group": {Items: []api.FindingCount{
			{Name: "all-of-them", Findings: many, Devices: many},
			{Name: "sevens", Findings: many / 10, Devices: many / 10},
			{Name: "the-first", Findings: 100, Devices: 100},
		}},
		"device": {More: many - 100},
	} {
		got, err := s.owner.FindingCounts(ctx, by, client.FindingQuery{Assignment: "base"})
		require.NoError(t, err)
		assert.Equal(t, want.More, got.More, by)
		if by == "device" {
			assert.Len(t, got.Items, 100)
			continue
		}
		for i := range got.Items {
			got.Items[i].Oldest = time.Time{}
		}
		assert.Equal(t, want.Items, got.Items, by)
	}
	none, err := s.owner.FindingCounts(ctx, "group", client.FindingQuery{Assignment: "bas"})
	require.NoError(t, err)
	assert.Empty(t, none.Items, "a part of a name is another name")
	_, err = s.owner.Findings(ctx, client.FindingQuery{State: "closed", Assignment: "base"}, client.Page{})
	problem(t, err, 422, "only open findings")
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	assert.Equal(t, many, o.Standings.Drifted)
	require.Len(t, o.Strips, 3)
	assert.Equal(t, strings.Repeat("d", many), o.Strips[0].Field, "a large group is drawn without names")
	assert.Empty(t, o.Strips[0].Marks)
	assert.Len(t, o.Strips[1].Field, many/10)
	assert.Len(t, o.Strips[2].Marks, 100)
	assert.Empty(t, o.Strips[2].Field)
	assert.LessOrEqual(t, len(o.Findings), 40, "an overview, not a list")

	cmd := exec.Command(filepath.Join(binaries, "rankwarden"), "device", "list", "-o", "csv", "--server", s.URL)
	token, err := s.owner.CreateToken(ctx, "cli", "", 1)
	require.NoError(t, err)
	cmd.Env = []string{"HOME=" + t.TempDir(), "RANKWARDEN_TOKEN=" + token.Secret}
	out, err := cmd.Output()
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(out))).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, many+1)
}

// A long table draws only what is in sight, and reads on as one scrolls; an export has all of it.
func TestConsoleWithManyRows(t *testing.T) {
	s := start(t)
	s.crowd()
	b := openTab(t, 1280, 800)
	b.do(
		"sign in",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/devices"),
		browser.Reads("SKL-BIG-00001"),
		browser.Reads("all2500"),
	)
	b.do(
		"a group of thousands is drawn, and a mark leads to those like it",
		chromedp.Navigate(s.URL+"/"),
		browser.Click(`canvas[aria-label="Devices of all-of-them: 2500 drifted"]`),
		browser.Until(`location.search === "?group=all-of-them&standing=drifted"`),
		chromedp.Navigate(s.URL+"/devices"),
		browser.Reads("SKL-BIG-00001"),
	)
	var drawn int
	b.do("count", chromedp.Evaluate(`document.querySelectorAll('[role="rowgroup"] [role="row"]').length`, &drawn))
	assert.Less(t, drawn, 80)
	b.do(
		"scroll to the very end",
		chromedp.Evaluate(
			`window.down = setInterval(() => { const s = document.querySelector('[role="table"]').parentElement; s.scrollTop = s.scrollHeight; }, 50)`,
			nil,
		),
		browser.Reads(fmt.Sprintf("SKL-BIG-%05d", many)),
		chromedp.Evaluate(`clearInterval(window.down)`, nil),
	)
	var saved string
	b.do(
		"export",
		chromedp.Evaluate(
			`window.blobs = []; const make = URL.createObjectURL; URL.createObjectURL = (b) => { window.blobs.push(b); return make(b); }`,
			nil,
		),
		click("Export CSV"),
		browser.Until(`window.blobs.length === 1`),
		chromedp.Evaluate(`window.blobs[0].text()`, &saved, browser.Awaited),
	)
	rows, err := csv.NewReader(strings.NewReader(saved)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, many+1)
	assert.Equal(t, []string{"SKL-BIG-00001", "drifted", "1"}, rows[1][:3])

	b.do(
		"findings by unit",
		chromedp.Navigate(s.URL+"/drift"),
		browser.Reads("2250 devices"),
		browser.Reads("250 devices"),
		browser.Click(`//button[contains(., "lockout")]`),
		browser.Reads("never locks instead of"),
		browser.Until(`!document.body.innerText.includes("8 characters instead")`),
	)
	b.do(
		"nothing found says what to do",
		chromedp.Navigate(s.URL+"/devices?search=nothing-like-it"),
		browser.Reads("Remove a filter to see more."),
	)
	b.do(
		"an unknown device",
		chromedp.Navigate(s.URL+"/devices/SKL-NONE"),
		browser.Reads(`here is no device "SKL-NONE"`),
	)
	b.do(
		"an unknown place",
		chromedp.Navigate(s.URL+"/nowhere"),
		browser.Reads("There is no page at this address."),
		browser.Click(`//a[.="Go to Watch"]`),
		browser.Reads("In the last day"),
	)
	b.do(
		"colours are kept",
		browser.Person("Use dark colours"),
		browser.Until(`document.documentElement.dataset.theme === "dark"`),
		chromedp.Reload(),
		browser.Seen(`html[data-theme="dark"]`),
	)
	b.do("devices of a large group are drawn", chromedp.Navigate(s.URL+"/watch"), browser.Reads("0 of 250 in step"))
}

// A viewer sees everything and is offered nothing that would be refused.
func TestConsoleForAViewer(t *testing.T) {
	s := start(t)
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	s.as("bjorn", viewer)
	b := openTab(t, 1280, 800)
	b.do(
		"read a policy",
		browser.SignIn(s.URL, "bjorn", ownerPassword),
		chromedp.Navigate(s.URL+"/policies/base"),
		browser.Seen(".cm-content"),
		browser.Reads("revision 1 in force"),
	)
	var page string
	b.do("look", chromedp.Evaluate("document.body.innerText", &page))
	for _, offered := range []string{"Add to the change", "Edit from it"} {
		assert.NotContains(t, page, offered)
	}
	b.do(
		"typing changes nothing",
		press(".cm-content", "x"),
		browser.Until(`!document.querySelector(".cm-content").innerText.startsWith("x")`),
	)
	b.do(
		"the list",
		chromedp.Navigate(s.URL+"/policies"),
		browser.Reads("base"),
		browser.Until(`!document.body.innerText.includes("Write a policy")`),
	)
	b.noErrors()
}

// A new policy, from nothing to published, in the console alone.
func TestConsoleWritesANewPolicy(t *testing.T) {
	s := start(t)
	b := openTab(t, 1280, 800)
	b.do(
		"an empty service says how to begin",
		browser.SignIn(s.URL, "asta", ownerPassword),
		browser.Reads("No groups yet."),
		chromedp.Navigate(s.URL+"/policies"),
		browser.Reads("No policies yet."),
		click("Write a policy"),
		browser.Seen(".cm-content"),
		browser.Reads("No problems found."),
		enabled("Add to the change"),
		click("Add to the change"),
		browser.Type(`[role="dialog"] input`, "First policy"),
		click("Start change"),
		browser.Reads("draft, 1 edit"),
	)
	x, err := s.owner.Change(t.Context(), "first-policy")
	require.NoError(t, err)
	require.Len(t, x.Edits, 1)
	assert.Equal(t, "my-policy", x.Edits[0].Name)
	b.do(
		"it stays in the editor, and opens there again, though no such policy is in force yet",
		browser.Until(`location.pathname === "/policies/my-policy"`),
		browser.Reads("not in force yet · below is what asta wrote into the draft change"),
		chromedp.Navigate(s.URL+"/policies/my-policy"),
		browser.Seen(".cm-content"),
		press(".cm-content", "# on\r"),
		enabled("Add to the change"),
		click("Discard what I typed"),
	)
	b.do(
		"its title is edited before anybody looks",
		chromedp.Navigate(s.URL+"/changes/first-policy"),
		click("Edit title and reason…"),
		browser.Type(`[role="dialog"] textarea`, "Audit 2026-11"),
		click("Save"),
		browser.Reads("Audit 2026-11"),
		browser.Until(`document.querySelector('[role="dialog"]') === null`),
	)
	b.noErrors()
}
