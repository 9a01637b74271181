package e2e

import (
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

// A refusal after the sign-in was renewed is said, and the reason is still there.
func TestARefusedRevealKeepsTheReason(t *testing.T) {
	s := startBudget(t, 1)
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-TKT-002")
	_, err := s.as("nightwatch", "support").Reveal(t.Context(), "SKL-TKT-002", api.RevealSpec{Reason: "ticket 4711"})
	require.NoError(t, err)
	b := openTab(t, 1280, 800)
	b.do(
		"sign in",
		browser.SignIn(s.URL, "nightwatch", ownerPassword),
		chromedp.Navigate(s.URL+"/passwords?device=SKL-TKT-001&account=account%3Amooring"),
		browser.Seen(`textarea[name="reason"]`),
	)
	s.clock.forward(16 * time.Minute)
	b.do(
		"the sign-in is too old",
		browser.Type(`textarea[name="reason"]`, "ticket 4712: the same again"),
		click("Show for 30 seconds"),
		browser.Reads("Enter your own password again"),
		browser.Type(`form input[name="password"]`, ownerPassword),
		click("Go on"),
		browser.Reads("second person"),
		browser.Until(`document.querySelector('textarea[name="reason"]').value === "ticket 4712: the same again"`),
	)
}

// What a colleague saves meanwhile does not go out unseen, and takes nothing away that was typed.
func TestColleaguesInTheConsole(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords:\n  min_length: 14\n", 500, "everything")
	s.enrolled("SKL-HQ-001")
	colleague := s.as("brita", "owner")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Rule: `device.name.startsWith("SKL-HQ")`})
	require.NoError(t, err)
	save := func(length string) {
		p, err := colleague.Policy(ctx, "base")
		require.NoError(t, err)
		_, err = colleague.SavePolicy(
			ctx,
			"base",
			document("base", "passwords:\n  min_length: "+length+"\n"),
			p.Version,
		)
		require.NoError(t, err)
	}
	b := openTab(t, 1280, 800)
	b.do(
		"sign in, and read the policy",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/policies/base"),
		browser.Seen(".cm-content"),
		press(".cm-content", "# asta\r"),
		enabled("Add to the change"),
	)
	save("8")
	b.do(
		"what is new is shown, and nothing goes over it unseen",
		browser.Reads("brita edited this policy while you were typing."),
		browser.Reads("min_length: 8"),
		browser.Until(`[...document.querySelectorAll("button")].find(b => b.innerText === "Add to the change").disabled`),
		click("Keep mine, to go over theirs"),
		enabled("Add to the change"),
		click("Add to the change"),
		browser.Type(`[role="dialog"] input`, "Longer passwords"),
		click("Start change"),
		browser.Reads("draft, 1 edit"),
	)
	x, err := s.owner.Change(ctx, "longer-passwords")
	require.NoError(t, err)
	edited := x.Edits[0].ChangeEdit
	edited.Document = document("base", "passwords:\n  min_length: 9\n")
	b.do("edit on what is in the change", press(".cm-content", "# on\r"), enabled("Add to the change"))
	_, err = colleague.AddEdit(ctx, "longer-passwords", edited)
	require.NoError(t, err)
	b.do(
		"a colleague's edit in the same change is shown too",
		browser.Reads("brita edited this policy while you were typing."),
		browser.Reads("min_length: 9"),
		click("Use theirs"),
		browser.Reads("below is what brita wrote into the draft change"),
	)
	_, err = s.owner.ReplaceEdit(ctx, "longer-passwords", edited, x.Edits[0].Version)
	problem(t, err, 412, "brita edited base in this change meanwhile")
	b.do(
		"a former revision asks before it replaces what is not saved",
		press(".cm-content", "# mine\r"),
		browser.Reads("# mine"),
		click("Edit from it"),
		browser.Reads("Replace what you typed?"),
		click("Keep what I typed"),
		browser.Reads("# mine"),
		click("Discard what I typed"),
		browser.Until(`!document.body.innerText.includes("# mine")`),
	)

	b.do(
		"a rule is being written",
		chromedp.Navigate(s.URL+"/organisation/groups?group=desks"),
		browser.Reads("Rule of desks"),
		press(`textarea[name="rule"]`, `true || `),
	)
	g, err := colleague.Group(ctx, "desks")
	require.NoError(t, err)
	theirs := `device.name.startsWith("SKL-TKT")`
	_, err = colleague.EditGroup(ctx, "desks", client.GroupEdit{Rule: &theirs}, g.Version)
	require.NoError(t, err)
	b.do(
		"it stays, and one chooses",
		browser.Reads("Somebody else changed this rule"),
		browser.Until(`document.querySelector('textarea[name="rule"]').value.includes("true ||")`),
		click("Use their version"),
		browser.Until(`document.querySelector('textarea[name="rule"]').value.includes("SKL-TKT")`),
	)
	b.forget() // half a rule is refused while one types
	b.do(
		"keys typed ahead of the answer find the device",
		chromedp.Evaluate(`dispatchEvent(new KeyboardEvent("keydown", {key: "k", ctrlKey: true, bubbles: true}))`, nil),
		browser.Seen(`[role="combobox"]`),
		chromedp.KeyEvent("SKL-HQ-001\r"),
		browser.Until(`location.pathname === "/devices/SKL-HQ-001"`),
	)
	require.NoError(t, change(t, s.config.Database,
		`insert into findings (device_id, key, unit, kind, subject, expected,
		actual, assignments, state, first_seen, last_seen, closed_at)
		select id, k, 'lockout', 'wrong_value', '', null, null, '["base"]', 'closed', now(), now(), now() from devices,
		unnest(array['k', 'k', 'another']) k`))
	require.NoError(t, change(t, s.config.Database, `with d as (update devices set open_findings = 1 returning id)
		insert into findings (device_id, key, unit, kind, subject, expected, actual, assignments, state, first_seen,
		last_seen)
		select id, 'k', 'lockout', 'wrong_value', '', null, null, '["base"]', 'open', now(), now() from d`))
	require.NoError(t, change(t, s.config.Database, `notify rankwarden, '{"topic": "devices"}'`))
	s.Changed(ctx)
	open, err := s.owner.Findings(ctx, client.FindingQuery{}, client.Page{})
	require.NoError(t, err)
	require.Len(t, open.Items, 1)
	assert.Equal(t, 2, open.Items[0].CameBack)
	assert.Equal(t, "closed", open.Items[0].LastState)
	b.do(
		"many are settled at once",
		chromedp.Navigate(s.URL+"/drift?by=group"),
		browser.Reads("Where they are"),
		browser.Reads("came back: closed 2 times before"),
		browser.Until(`(box => box.checked || (box.click(), false))(
			document.querySelector('[role="cell"] input[type="checkbox"]'))`),
		browser.Reads("1 finding on 1 device chosen"),
		click("Re-apply…"),
		browser.Reads("Re-apply on 1 device?"),
		click("Re-apply"),
		browser.Reads("0 of 1 done"),
	)
	b.do(
		"a field to search in follows the address",
		chromedp.Navigate(s.URL+"/devices"),
		browser.Reads("SKL-HQ-001"),
		browser.Click(`//nav//a[.="Policies"]`),
		browser.Reads("Last edit"),
		browser.Type(`input[type="search"]`, "nothing"),
		browser.Reads("No policy matches"),
		browser.Click(`//nav//a[.="Policies"]`),
		browser.Until(`document.querySelector('input[type="search"]').value === ""`),
	)
	b.noErrors()
}

// barrier stands before the service, counts, and answers 502 while it is shut.
type barrier struct {
	http.Handler
	shut     atomic.Bool
	requests atomic.Int64
}

func (g *barrier) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	g.requests.Add(1)
	if g.shut.Load() {
		http.Error(w, "starting", http.StatusBadGateway)
		return
	}
	g.Handler.ServeHTTP(w, r)
}

// A busy fleet, or a service that fails, is asked a few times a second at most; the stream comes back.
func TestTheConsoleAsksSparingly(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	behind, err := url.Parse(s.URL)
	require.NoError(t, err)
	proxy := httputil.NewSingleHostReverseProxy(behind)
	proxy.FlushInterval = -1
	g := &barrier{Handler: proxy}
	front := httptest.NewServer(g)
	defer front.Close()
	defer front.CloseClientConnections()
	b := openTab(t, 1280, 800)
	b.do("sign in", browser.SignIn(front.URL, "asta", ownerPassword), browser.Reads("In the last day"))
	sparingly := func(what string, from int64, since time.Time) {
		// Watch is one request for each reading; the session and the stream come beside it.
		assert.LessOrEqual(t, g.requests.Load()-from, int64(20+4*time.Since(since).Seconds()), what)
	}
	from, since := g.requests.Load(), time.Now()
	for i := range 200 {
		_, err := s.owner.CreateGroup(
			ctx,
			client.GroupSpec{Name: "group-" + strings.Repeat("x", i%40) + string(rune('a'+i/40)), Devices: []string{}},
		)
		require.NoError(t, err)
	}
	b.do("the last change is seen", browser.Reads("group-"+strings.Repeat("x", 39)+"e"))
	sparingly("under many changes", from, since)

	from, since = g.requests.Load(), time.Now()
	g.shut.Store(true)
	front.CloseClientConnections()
	b.do("it says since when it is quiet", browser.Reads("The service was last heard at"))
	s.until(func() bool { return g.requests.Load() >= from+4 }) // it tries
	sparingly("while the service fails", from, since)
	g.shut.Store(false)
	b.do("it is live again, and tells", browser.Until(`!document.body.innerText.includes("was last heard")`))
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "after-all", Devices: []string{}})
	require.NoError(t, err)
	b.do("a change after that", browser.Reads("after-all"))
}

// The console comes compressed to whoever takes that, and plain to others.
func TestTheConsoleIsCompressed(t *testing.T) {
	s := start(t)
	size := func(encoding string) (int64, string) {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, s.URL+"/", nil)
		require.NoError(t, err)
		req.Header.Set("Accept-Encoding", encoding)
		resp, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		return resp.ContentLength, resp.Header.Get("Content-Encoding")
	}
	small, how := size("gzip")
	smallest, better := size("gzip, deflate, br, zstd") // as browsers ask
	plain, plainly := size("identity")
	assert.Equal(t, "gzip", how)
	assert.Equal(t, "br", better)
	assert.Less(t, smallest, small)
	assert.Empty(t, plainly)
	assert.Less(t, small, plain)
}
