package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/core/gate"
	"rankwarden.example/e2e/browser"
)

// choose picks an option of the select box behind a label.
func choose(label, option string) chromedp.Action {
	return browser.Until(fmt.Sprintf(`(() => {
		const label = [...document.querySelectorAll("label")].find(l => l.innerText.startsWith(%q))
		const select = label.querySelector("select") ?? document.getElementById(label.htmlFor)
		const option = [...select.options].find(o => o.value === %q)
		if (!option) return false
		const set = Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set
		set.call(select, option.value)
		select.dispatchEvent(new Event("change", {bubbles: true}))
		return true
	})()`, label, option))
}

// From a blank policy to a verified device: written, aimed, previewed, approved by a second person, applied.
func TestAChangeFromABlankPolicyInTheConsole(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Approvals = gate.Approvals{Everything: true}
	s.run()
	ctx := t.Context()
	d := s.enrolled("SKL-WKS-001")
	b := openTab(t, 1280, 800)
	b.do(
		"write a policy, and start a change with it",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/new-policy"),
		browser.Seen(".cm-content"),
		enabled("Add to the change"),
		click("Add to the change"),
		browser.Reads("Which change?"),
		browser.Type(`[role="dialog"] input`, "Rules for all"),
		click("Start change"),
		browser.Reads("draft, 1 edit"),
	)
	_, err := s.owner.Policy(ctx, "my-policy")
	problem(t, err, 404, "my-policy")
	b.do(
		"it stands in the list, though nothing has it yet",
		browser.Until(`location.pathname === "/policies/my-policy"`),
		browser.Reads("Not used yet: it reaches no device before it is aimed."),
		browser.Click(`//nav//a[.="Policies"]`),
		browser.Reads("only in the change Rules for all"),
		browser.Click(`//a[@href="/policies/my-policy"]`),
	)
	b.do(
		"aim it on its own page, and see what that does before it is added",
		browser.Reads("Aim it"),
		browser.Until(`document.querySelector('input[name="name"]').value === "my-policy"`),
		fill("Name of the assignment", "rules-for-all"),
		choose("Include", "everything"),
		browser.Reads("minimum length gets stricter: 0 characters → 14 characters"),
		browser.Reads("1 of 1 device affected."),
		click("Add the assignment to the change"),
		browser.Reads("draft, 2 edits"),
	)
	b.do(
		"see the whole, and ask for approval",
		chromedp.Navigate(s.URL+"/changes/rules-for-all"),
		browser.Reads("A second person must approve it: the assignment rules-for-all is aimed at everything at once."),
		browser.Reads("Asking reaches no device; you start it once it is approved."),
		browser.Reads("1 of 1 device"),
		click("Show affected devices"),
		browser.Reads("SKL-WKS-001"),
		click("Ask for approval…"),
		click("Ask for approval"),
		browser.Reads("Rules for all waits for a second person. Nothing has reached a device."),
		browser.Reads("You wrote a part of it or asked for it, so somebody else decides."),
		browser.Reads("Nobody can: it takes a deployer who reaches all of its devices and had no part in it."),
		browser.Until(`![...document.querySelectorAll("button")].some(b => b.innerText.startsWith("Approve"))`),
	)
	s.as("ragna", "deployer")
	other := openTab(t, 1280, 800)
	other.do(
		"a second person approves what is listed, which reaches no device",
		browser.SignIn(s.URL, "ragna", ownerPassword),
		chromedp.Navigate(s.URL+"/changes/rules-for-all"),
		browser.Reads("Nothing reaches a device by that: asta or another deployer starts it afterwards."),
		click("Approve these effects…"),
		click("Approve these effects"),
		browser.Reads("You approved Rules for all. Nothing has reached a device: it has still to be started."),
		browser.Reads("It is approved. Nothing has reached a device yet"),
	)
	other.noErrors()
	assert.Zero(t, *stateOf(t, d).Passwords.MinLength)
	b.do(
		"apply it once it is approved",
		browser.Reads("approved · started by asta"),
		browser.Reads("approved, start it"),
		click("Apply to all at once…"),
		click("Apply to all devices"),
		browser.Reads("applied · started by asta"),
		browser.Reads("Rules for all is in force."),
		browser.Reads("Draft the way back…"),
	)
	b.do(
		"a change that ended counts as none: the next edit is asked for its own",
		browser.Until(`localStorage.getItem("rankwarden-change") === null`),
		chromedp.Navigate(s.URL+"/policies/my-policy"),
		browser.Reads("Changes"),
		browser.Reads("revision 1 in force"),
		browser.Until(`[...document.querySelectorAll("button")].some(b => b.innerText === "Add to the change" &&
			b.disabled && b.title === "Nothing here differs from what is in force")`),
	)
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, 14, *stateOf(t, d).Passwords.MinLength)
	b.noErrors()
}

// A contest is decided on the ladder, by keyboard alone: a rung gets another rank, what that does is shown, and it goes
// into the change.
func TestAContestIsDecidedOnTheLadder(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "builtins: {guest: {name: visitor}}", 500, "everything")
	s.publish("lamp", "builtins: {guest: {name: lamp}}", 200, "everything")
	s.publish("buoy", "builtins: {guest: {name: buoy}}", 200, "everything")
	d := s.enrolled("SKL-WKS-001")
	require.Equal(t, "held", s.why("SKL-WKS-001").Device.Standing)
	_, err := s.owner.CreateChange(ctx, "decide", "Lamp or buoy", "")
	require.NoError(t, err)
	b := openTab(t, 1280, 800)
	b.do(
		"see the contest",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Evaluate(`localStorage.setItem("rankwarden-change", "decide")`, nil),
		chromedp.Navigate(s.URL+"/ladder?device=SKL-WKS-001"),
		browser.Reads("Who decides built-in guest, name?"),
		browser.Reads("buoy and lamp are of rank 200 and ask for different values, so SKL-WKS-001 keeps what it had."),
		browser.Reads("assignments of equal rank require different values"),
	)
	b.do(
		"move a rung by a key",
		browser.Until(`(document.querySelector('input[aria-label="Rank of lamp"]').focus(), true)`),
		chromedp.KeyEvent(kb.ArrowUp, chromedp.KeyModifiers(1)), // Alt
		browser.Reads("lamp has rank 190 now."),
		browser.Reads("built-in guest, name is no longer held"),
		browser.Reads("built-in guest is renamed from Guest to lamp"),
		browser.Until(`document.querySelector("tbody th input").value === "190"`),
	)
	b.do(
		"add it to the change by keyboard",
		browser.Until(
			`[...document.querySelectorAll("button")].some(b => b.innerText === "Add 1 move to the change" && (b.focus(), true))`,
		),
		chromedp.KeyEvent(kb.Enter),
		browser.Reads("draft, 1 edit"),
	)
	b.noErrors()
	x, err := s.owner.Change(ctx, "decide")
	require.NoError(t, err)
	require.Len(t, x.Edits, 1)
	assert.Equal(
		t,
		api.Aim{Policy: "lamp", Include: []string{"everything"}, Rank: 190, Stance: "enforce"},
		*x.Edits[0].Assignment,
	)
	p, err := s.owner.PreviewChange(ctx, "decide")
	require.NoError(t, err)
	_, err = s.owner.ApplyChange(ctx, "decide", p.Digest)
	require.NoError(t, err)
	s.cycle(d, "SKL-WKS-001")
	assert.Equal(t, "in_step", s.why("SKL-WKS-001").Device.Standing)
}

// The whole way without a mouse, by two people: from the sign-in over a blank policy, its approval and its rollout to a
// device that is in step.
func TestTheWholeWayByKeyboardAlone(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Approvals = gate.Approvals{Everything: true}
	s.run()
	d := s.enrolled("SKL-WKS-001")
	s.as("ragna", "deployer")
	b, other := openTab(t, 1280, 800), openTab(t, 1280, 800)
	press := func(name string) chromedp.Tasks {
		return chromedp.Tasks{browser.TabTo(name), chromedp.KeyEvent(kb.Enter)}
	}
	signIn := func(name string) chromedp.Tasks {
		return chromedp.Tasks{
			chromedp.Navigate(s.URL),
			browser.Seen(`input[name="name"]`),
			browser.TabTo("Name"),
			chromedp.KeyEvent(name),
			browser.TabTo("Password"),
			chromedp.KeyEvent(ownerPassword + kb.Enter),
			browser.Seen(`nav[aria-label="Places"]`),
		}
	}
	b.do("sign in", signIn("asta"))
	b.do(
		"write a policy, and start a change with it",
		browser.Palette("Write a", "Write a policy"),
		enabled("Add to the change"),
		press("Add to the change"),
		browser.Reads("Which change?"),
		browser.TabTo("Title of a new change"),
		chromedp.KeyEvent("Rules for all"+kb.Enter),
		browser.Reads("draft, 1 edit"),
	)
	b.do(
		"aim it at everything",
		browser.Palette("aimed", "Assignments: policies aimed at groups"),
		browser.TabTo("Name"),
		chromedp.KeyEvent("rules-for-all"),
		browser.Seen(`option[value="my-policy"]`), // what stands in the change can be picked once it is known
		browser.TabTo("Policy"),
		chromedp.KeyEvent("my"),
		browser.Until(`document.activeElement.value === "my-policy"`),
		browser.TabTo("Include"),
		chromedp.KeyEvent("every"),
		browser.Reads("1 of 1 device affected."),
		press("Add to the change"),
		browser.Reads("draft, 2 edits"),
	)
	b.do(
		"ask for approval, after the question",
		browser.Palette("Rules for all", "Rules for all"),
		browser.Reads("Stricter"),
		enabled("Ask for approval…"),
		press("Ask for approval…"),
		browser.Reads("Ask a second person to approve"),
		press("Ask for approval"),
		browser.Reads("waits for a second person. Nothing has reached a device."),
	)
	other.do(
		"a second person looks at it, and approves what is listed",
		signIn("ragna"),
		browser.Palette("Rules for all", "Rules for all"),
		browser.Reads("Stricter"),
		enabled("Approve these effects…"),
		press("Approve these effects…"),
		browser.Seen(`[role="alertdialog"], [role="dialog"]`),
		press("Approve these effects"),
		browser.Reads("You approved Rules for all."),
	)
	other.noErrors()
	b.do(
		"it goes out in waves",
		enabled("Start rollout…"),
		press("Start rollout…"),
		browser.Reads("The next wave opens when the last one has passed its gate."),
		browser.TabTo("Soak, minutes"),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(input.ModifierCtrl)),
		chromedp.KeyEvent("0"),
		press("Start the first wave"),
		browser.Until(`location.pathname === "/rollouts/rules-for-all"`),
	)
	s.settled()
	s.cycle(d, "SKL-WKS-001")
	b.do("the gate is passed", browser.Reads("done: the last wave passed its gate"))
	b.do("see the device in step", browser.Palette("SKL-WKS-001", "SKL-WKS-001"), browser.Reads("in step"))
	assert.Equal(t, 14, *stateOf(t, d).Passwords.MinLength)
	b.noErrors()
}
