package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/e2e/browser"
)

// A rollout is started in the console, stops, is looked into, mended by an edit and resumed, and passes all its gates;
// another one is reverted. The page follows without being loaded again.
func TestRolloutsInTheConsole(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	fleet := s.fleetOf(6, 2)
	s.lockOut(fleet, "SKL-WKS-002")
	b := openTab(t, 1280, 800)
	b.do(
		"start it from the page of its change",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/changes/lock-sooner"),
		browser.Reads("6 of 6 devices"),
		enabled("Start rollout…"),
		click("Start rollout…"),
		browser.Reads("The next wave opens when the last one has passed its gate."),
	)
	b.axeInBoth("the window that starts a rollout")
	b.do(
		"set how it goes out",
		fill("Then up to these", "50, 40"),
		browser.Reads("whole numbers from 1 to 99 that grow"),
		fill("Then up to these", "50"),
		fill("Soak, minutes", "0"),
		click("Start the first wave"),
		browser.Reads("opens when wave 1 has passed its gate"),
		browser.Reads("2 not heard from"),
	)
	s.settled()
	s.cycleUnseen(fleet, "SKL-WKS-002", "SKL-WKS-001")
	b.do(
		"it stops before anybody's eyes",
		browser.Reads("Stopped in wave 1, first-wave: 1 of 2 failed or lost (50 %), at most 2 %"),
		browser.Reads("No further device starts."),
		click("See which"),
		browser.Reads("failed: lockout"),
	)
	b.axeInBoth("a rollout that stopped")
	b.do(
		"Watch shows it",
		chromedp.Navigate(s.URL+"/watch"),
		browser.Reads("wave 1 of 3: 1 verified, 1 failed, 4 not open"),
	)
	b.axeInBoth("Watch with a rollout")

	_, err := s.owner.AddEdit(ctx, "lock-sooner", s.publishing("base", "passwords: {min_length: 10}"))
	require.NoError(t, err)
	b.do(
		"it goes on with the mended change, whose effects are shown",
		chromedp.Navigate(s.URL+"/rollouts/lock-sooner"),
		browser.Reads("The change was edited since."),
		click("Resume…"),
		browser.Reads("minimum length gets stricter: 8 characters → 10 characters"),
		browser.Type(`[role="dialog"] textarea`, "without the lockout"),
		enabled("Resume"),
		click("Resume"),
		browser.Reads("resumed with an edited change: without the lockout"),
	)
	s.settled()
	s.cycleAll(fleet, "SKL-WKS-001", "SKL-WKS-002")
	b.do("the second wave opens", browser.Reads("opened wave 2, to 50 %: 1 device"))
	s.settled()
	s.cycleAll(fleet, inWave(s.rollout("lock-sooner"), 2)...)
	b.do("and the third", browser.Reads("opened wave 3, the rest: 3 devices"))
	s.settled()
	s.cycleAll(fleet, inWave(s.rollout("lock-sooner"), 3)...)
	b.do("it is done", browser.Reads("done: the last wave passed its gate"), browser.Reads("100 %"))
	s.until(func() bool { return s.rollout("lock-sooner").EndedAt != nil })

	s.change("longer", s.publishing("base", "passwords: {min_length: 12}"))
	s.rollOut("longer")
	s.cycleAll(fleet, "SKL-WKS-001")
	b.do(
		"another is found among the rollouts, and reverted",
		chromedp.Navigate(s.URL+"/rollouts"),
		browser.Until(
			`(document.querySelector('a[href="/rollouts/longer"]')?.click(), location.pathname === "/rollouts/longer")`,
		),
		browser.Reads("first-wave"),
		click("Revert…"),
		browser.Type(`[role="dialog"] textarea`, "the wrong policy"),
		enabled("Revert"),
		click("Revert"),
		browser.Reads("reverted: the wrong policy"),
		chromedp.Navigate(s.URL+"/rollouts?state=all"),
		browser.Reads("reverted"),
	)
	b.axeInBoth("the rollouts")
	s.settled()
	s.cycleAll(fleet, "SKL-WKS-001")
	assert.Equal(t, 10, minLength(t, fleet["SKL-WKS-001"]))
	b.noErrors()
}

// fill replaces what stands in the field behind a label that begins so.
func fill(label, text string) chromedp.Action {
	return browser.Until(`((label, text) => {
		const found = [...document.querySelectorAll("label")].find(l => l.innerText.startsWith(label))
		const field = found && document.getElementById(found.htmlFor)
		if (!field) return false
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(field, text)
		field.dispatchEvent(new Event("input", {bubbles: true}))
		return field.value === text
	})("` + label + `", "` + text + `")`)
}
