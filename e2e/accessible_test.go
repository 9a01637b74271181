package e2e

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/demo"
	"rankwarden.example/e2e/browser"
)

// pagesOfTheConsole are all of them, in the demo, with what is there once one is ready.
var pagesOfTheConsole = [][2]string{
	{"/watch", `[role="img"]`}, {"/devices", `[role="cell"] a`}, {"/devices/SKL-HQ-001", "tbody th"},
	{"/devices/SKL-HBR-003", "tbody th"},
	{"/devices/SKL-WKS-003/history?setting=membership.administrators", "tbody td"},
	{"/organisation/groups?group=kiosks", `[role="cell"] button`},
	{"/organisation/facts", `textarea`}, {"/organisation/enrolment", `[role="cell"]`},
	{"/organisation/directory", `[role="cell"]`}, {"/organisation/operators", "dl dt"},
	{"/organisation/operators?operator=nightwatch", "fieldset input"}, {"/organisation/notifications", "form"},
	{"/organisation/keys", `[aria-label="Keys"] li`}, {"/organisation/tokens", "h1"}, {"/organisation/settings", "dl, li"},
	{"/events", `[role="cell"] a`},
	{"/passwords?device=SKL-TKT-001&account=account%3Amooring", `textarea`}, {"/policies", `[role="cell"] a`},
	{"/policies/base", ".cm-content"}, {"/new-policy", ".cm-content"}, {"/drift", `[role="cell"] a`},
	{"/waivers", "h1"}, {"/warrants", "h1"}, {"/accounts?which=all&account=mooring", `[role="cell"] button`},
	{"/accounts?who=counter", "h2"}, {"/changes", `[role="cell"] a`}, {"/changes/" + demo.ChangeName, `section li`},
	{"/ladder?group=head-office", "tbody th"}, {"/assignments?assignment=stricter-lockout", `[role="cell"] button`},
	{"/rollouts", "h1"}, {"/trail?entry=60", "tbody td"}, {"/report", `[role="img"]`}, {"/me", "main h2"},
	{"/nowhere", "h1"},
}

// mostShift is how much a page may move while it comes, by the measure of the browsers.
const mostShift = 0.05

// Every page, light and dark, small, large and as narrow as a telephone, has no accessibility violation that axe-core
// finds, and none moves while it comes.
func TestConsoleIsAccessible(t *testing.T) {
	beside(t)
	d := startDemo(t, "--quiet-people")
	b := openTab(t, 1280, 800)
	shifts := map[string]float64{}
	look := func(path, ready string) {
		b.do(path, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(d.url+path), browser.Seen(ready))
		var shift float64
		b.do(path, chromedp.Evaluate(layoutShift, &shift, browser.Awaited))
		if shift >= mostShift {
			shifts[path] = shift
		}
		for _, seen := range []struct {
			dark          bool
			width, height int64
		}{{true, 1920, 1080}, {false, 390, 800}, {false, 1280, 800}} {
			b.do(path, browser.Dark(seen.dark), chromedp.EmulateViewport(seen.width, seen.height), browser.Seen(ready))
			b.axe(fmt.Sprint(path, seen))
		}
	}
	look("/", `input[name="name"]`)
	b.do("sign in", browser.SignIn(d.url, demo.Owner, d.password))
	for _, page := range pagesOfTheConsole {
		look(page[0], page[1])
	}
	assert.Empty(t, shifts, "pages that move while they come")
	b.noErrors()
}

// layoutShift is what the page has moved since it was opened, without what somebody did.
const layoutShift = `new Promise(done => {
	let sum = 0;
	const seen = list => { for (const e of list) if (!e.hadRecentInput) sum += e.value; };
	const watching = new PerformanceObserver(list => seen(list.getEntries()));
	watching.observe({type: "layout-shift", buffered: true});
	requestIdleCallback(() => { seen(watching.takeRecords()); done(sum); }, {timeout: 5000});
})`

// Every window, question and menu of the console.
func TestEveryWindowIsAccessible(t *testing.T) {
	beside(t)
	d := startDemo(t, "--quiet-people")
	b := openTab(t, 1280, 800)
	b.do("sign in", browser.SignIn(d.url, demo.Owner, d.password))
	for _, window := range []struct{ path, clicks, reads string }{
		{"/changes", "Start a change", "Which change?"},
		{"/changes/" + demo.ChangeName, "Ask for approval…", "Ask a second person to approve"},
		{"/changes/" + demo.ChangeName, "Edit title and reason…", "Title and reason"},
		{"/changes/" + demo.ChangeName, "Drop…", "Drop this change?"},
		{"/drift", "Choose all that are listed", "Choose none"},
		{"/drift", "Choose all that are listed > Re-apply…", "Re-apply"},
		{"/drift", "Choose all that are listed > Waive…", "Reason"},
		{"/passwords?device=SKL-TKT-001&account=account%3Amooring", "Rotate now…", "Rotate it"},
		{"/passwords?group=kiosks", "Rotate now: all of kiosks…", "Rotate every password"},
		{"/organisation/operators?operator=nightwatch", "Give a first password…", "First password"},
		{"/organisation/keys", "Retire…", "Retire"},
		{"/me", "Change your password…", "password"},
		{"/new-policy", "+ Rotation", "Add a rotation"},
	} {
		where := window.path + ": " + window.clicks
		b.do(where, chromedp.Navigate(d.url+window.path))
		for name := range strings.SplitSeq(window.clicks, " > ") {
			b.do(where, click(name))
		}
		b.do(where, browser.Reads(window.reads))
		b.axeInBoth(where)
	}
	b.do("the palette", chromedp.Navigate(d.url+"/watch"), browser.Reads("In the last day"),
		browser.Click(`header button:has(.lucide-search)`),
		browser.Seen(`[role="dialog"] input`))
	b.axeInBoth("the palette")
	b.noErrors()
}

// axeInBoth looks at a page with axe, dark and then light.
func (b *tab) axeInBoth(where string) {
	b.t.Helper()
	for _, dark := range []bool{true, false} {
		b.do(where, browser.Dark(dark))
		b.axe(where)
	}
}

func (b *tab) axe(where string) {
	b.t.Helper()
	var found string
	var there bool
	b.do("axe on "+where, chromedp.Evaluate("window.axe !== undefined", &there))
	if !there {
		source, err := os.ReadFile("../console/node_modules/axe-core/axe.min.js")
		require.NoError(b.t, err)
		b.do("axe on "+where, chromedp.Evaluate(string(source)+"; true", nil))
	}
	b.do("axe on "+where, chromedp.Evaluate(
		`axe.run({resultTypes: ["violations"]}).then(r => r.violations.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html + " " + n.failureSummary).join(" | ")).join("\n"))`,
		&found,
		browser.Awaited,
	))
	assert.Empty(b.t, found, where)
}
