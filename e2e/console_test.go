package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"rankwarden.example/demo"
	"rankwarden.example/e2e/browser"
)

func TestConsole(t *testing.T) {
	beside(t)
	d := startDemo(t, "--quiet-people")
	b := openTab(t, 1280, 800)
	b.do(
		"a wrong password is told",
		chromedp.Navigate(d.url+"/devices"),
		browser.Seen(`input[name="name"]`),
		browser.Type(`input[name="name"]`, demo.Owner),
		browser.Type(`input[name="password"]`, "wrong"),
		click("Sign in"),
		browser.Reads("name or password is wrong"),
	)
	b.do(
		"the right one opens the place asked for",
		chromedp.Evaluate(`document.querySelector('input[name="password"]').select()`, nil),
		chromedp.KeyEvent(d.password),
		click("Sign in"),
		browser.Seen(`[role="cell"] a`),
		browser.Reads("SKL-BRG-001"),
	)
	b.forget() // the refusal above

	b.do(
		"watch is live, and says what needs a decision",
		browser.Click(`//nav//a[.="Watch"]`),
		browser.Reads("20 devices, 20 online"),
		browser.Reads("All online devices have reported back; on 3 something differs or failed"),
		browser.Reads("and 1 device has held settings"),
		browser.Reads("Needs a decision: 1"),
	)
	b.do(
		"the keyboard gets past the marks, which the arrow keys go through",
		// Groups are drawn a few at a time; each of them is one stop of the tab key.
		browser.Until(`(stops => stops > 0 && stops === document.querySelectorAll("td ul").length)(
			document.querySelectorAll('td li a[tabindex="0"]').length)`),
		browser.Until(
			`document.title === "Watch · Rank Warden" && document.querySelector('a[href="#content"]') !== null`,
		),
		chromedp.Evaluate(`document.querySelector('td li a[tabindex="0"]').focus()`, nil),
		chromedp.KeyEvent(kb.ArrowRight),
		browser.Until(`document.activeElement === document.querySelectorAll('td li a')[1]`),
	)
	b.do(
		"from a decision to the ladder that shows who asks for what, and to the device",
		browser.Click(`//a[contains(., "Decide on the ladder")]`),
		browser.Reads("Who decides administrators?"),
		browser.Reads("head-office and northwick are of rank 200 and ask for different values"),
		browser.Reads("head-office decides"),
		chromedp.Navigate(d.url+"/devices/SKL-HQ-001"),
		browser.Reads("differ at equal rank"),
		browser.Reads("none yet, held"),
	)
	b.do(
		"find a device by keys",
		chromedp.Evaluate(`dispatchEvent(new KeyboardEvent("keydown", {key: "k", ctrlKey: true, bubbles: true}))`, nil),
		browser.Seen(`[role="combobox"]`),
		browser.Type(`[role="combobox"]`, "hbr-003"),
		browser.Reads("SKL-HBR-003"),
		browser.Seen(
			`[role="option"][aria-selected="true"] .font-mono, [role="option"][aria-selected="true"].font-mono, [role="option"][aria-selected="true"]`,
		),
		browser.Until(
			`document.querySelector('[role="option"][aria-selected="true"]').innerText.includes("SKL-HBR-003")`,
		),
		chromedp.KeyEvent("\r"),
		browser.Reads("several accounts fit the name: mooring-2041, mooring-2042"),
	)
	b.do(
		"filters are in the address",
		chromedp.Navigate(d.url+"/devices?standing=drifted"),
		browser.Reads("SKL-HBR-003"),
		browser.Until(`!document.body.innerText.includes("SKL-BRG-001")`),
		click("all20"),
		browser.Reads("SKL-BRG-001"),
		browser.Until(`location.search === ""`),
	)
	b.do(
		"drift by unit and kind",
		chromedp.Navigate(d.url+"/drift"),
		browser.Reads("managed mooring should be a member"),
		browser.Click(`//button[contains(., "member missing")]`),
		browser.Until(`location.search.includes("kind=member_missing")`),
	)

	b.do(
		"a mistake in a rule is named with its place",
		chromedp.Navigate(d.url+"/organisation/groups?new=rule"),
		browser.Seen(`textarea[name="rule"]`),
		browser.Type(`input[name="group"]`, "quiet-screens"),
		browser.Type(`textarea[name="rule"]`, `device.nmae != ""`),
		browser.Reads("line 1, column 7"),
	)
	b.forget() // the refusal above
	b.do(
		"a rule says for whom it holds, and goes into a change",
		chromedp.Evaluate(`document.querySelector('textarea[name="rule"]').select()`, nil),
		chromedp.KeyEvent(`device.name.startsWith("SKL-INF")`),
		browser.Reads("Matches 2 devices, for example SKL-INF-001, SKL-INF-002"),
		click("Add to the change"),
		browser.Type(`[role="dialog"] form input`, "Quiet screens"),
		click("Start change"),
		browser.Reads("draft, 1 edit"),
	)
	b.do(
		"people are found by any part of a name",
		chromedp.Navigate(d.url+"/organisation/directory"),
		browser.Reads("Bridge Officers"),
		browser.Type(`input[type="search"]`, "holm"),
		browser.Reads("user:asta.holm@skerryline.example"),
		browser.Until(`!document.body.innerText.includes("Bridge Officers")`),
	)
	b.do(
		"what devices did, filtered",
		chromedp.Navigate(d.url+"/events?kind=account_removed"),
		browser.Reads("the account setup was removed"),
		browser.Until(`!document.querySelector('[role="rowgroup"]').innerText.includes("was applied")`),
	)

	b.do(
		"a password is looked up by the name of its account",
		chromedp.Navigate(d.url+"/passwords"),
		browser.Reads("SKL-TKT-001"),
		browser.Type(`input[type="search"]`, "wks-001"),
		browser.Until(`!document.body.innerText.includes("SKL-TKT-001")`),
		browser.Click(`[role="cell"] button`),
		browser.Reads("Viewed by"),
		browser.Reads("No views yet"),
	)
	b.do(
		"it is shown with a reason, and hidden",
		browser.Type("textarea", "ticket 4711"),
		click("Show for 30 seconds"),
		browser.Seen("[data-secret]"),
		browser.Reads("Because you viewed it, it rotates at"),
		click("Hide now"),
		browser.Until(`document.querySelector("[data-secret]") === null`),
		browser.Reads("harbourmaster just now: ticket 4711"),
	)
	b.do(
		"it is changed now, and one sees that it was",
		click("Rotate now…"),
		click("Rotate it"),
		browser.Reads("✓ rotated"),
		browser.Reads("former"),
	)
	b.do(
		"many are changed with progress",
		chromedp.Navigate(d.url+"/passwords?group=kiosks"),
		click("Rotate now: all of kiosks…"),
		browser.Reads("Rotate every password of kiosks now?"),
		click("Rotate now"),
		browser.Until(`(document.querySelector("progress")?.value ?? 0) > 5`),
	)

	b.do(
		"what is ticked holds for what one sees",
		browser.Click(`input[type="checkbox"]`),
		browser.Reads("Rotate now: 1 selected…"),
		browser.Type(`input[type="search"]`, "mooring"),
		browser.Until(`!document.body.innerText.includes("Rotate now")`),
	)
	b.do(
		"a slip is named while one types, and cannot be saved",
		chromedp.Navigate(d.url+"/policies/ticket-desks"),
		browser.Seen(".cm-content"),
		press(".cm-content", "password: 1\r"),
		browser.Reads("never holds a password"),
		browser.Until(`[...document.querySelectorAll("button")].find(b => b.innerText === "Add to the change").disabled`),
	)
	b.do(
		"another page keeps what was typed",
		browser.Click(`//nav//a[.="Watch"]`),
		browser.Reads("In the last day"),
		chromedp.Evaluate("history.back()", nil),
		browser.Reads("password: 1"),
		click("Discard what I typed"),
		browser.Reads("No problems found."),
	)
	b.do(
		"an edit goes into the draft change, and stays there to be edited on",
		press(".cm-content", "# a stricter desk\r"),
		enabled("Add to the change"),
		click("Add to the change"),
		browser.Reads("Added to Quiet screens: Publish policy ticket-desks."),
		browser.Reads("below is what harbourmaster wrote into the draft change"),
		browser.Reads("# a stricter desk"),
	)
	b.do(
		"the session ends in the middle of an edit",
		press(".cm-content", "# not lost\r"),
		enabled("Add to the change"),
		chromedp.Evaluate(`fetch("/api/v1/session", {method: "DELETE"})`, nil, browser.Awaited),
		click("Add to the change"),
		browser.Seen(`[role="dialog"] input[name="name"]`),
	)
	b.do(
		"focus stays in the dialog",
		chromedp.Evaluate(`document.querySelector("nav a").focus()`, nil),
		browser.Until(`document.activeElement.closest('[role="dialog"]') !== null`),
	)
	b.do(
		"what was typed is saved after the sign-in",
		browser.Type(`[role="dialog"] input[name="name"]`, demo.Owner),
		browser.Type(`[role="dialog"] input[name="password"]`, d.password),
		click("Sign in"),
		browser.Until(`document.querySelector('[role="dialog"]') === null`),
		browser.Reads("# not lost"),
		enabled("Add to the change"),
		click("Add to the change"),
		browser.Until(`!document.body.innerText.includes("Discard what I typed")`),
	)
	b.forget() // the refusal that asked for the sign-in

	b.do(
		"what is on trial says what it would do, and is made real",
		chromedp.Navigate(d.url+"/assignments?assignment=stricter-lockout"),
		browser.Reads("If it were enforced"),
		browser.Reads("lockout gets stricter"),
		browser.Reads("By group"),
		click("Make it real: add to the change"),
		browser.Reads("Added to Quiet screens: Assign stricter-lockout."),
	)
	var kept string
	b.do(
		"nothing secret is kept in the browser",
		chromedp.Evaluate(`JSON.stringify([localStorage, sessionStorage, document.cookie])`, &kept),
	)
	assert.NotContains(t, kept, d.password)
	assert.Regexp(t, `^\[\{"rankwarden-change":"quiet-screens"\},\{("rankwarden-tab":"\d+")?\},""\]$`, kept,
		"the name of the change that edits go into, and that of the tab")
	b.do("sign out", browser.Person("Sign out"), browser.Seen(`input[name="name"]`))
	b.noErrors()
}
