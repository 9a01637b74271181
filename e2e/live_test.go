package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"rankwarden.example/e2e/browser"
)

// What happens on devices shows on open pages without a reload, in every tab, and again after the
// service was away.
func TestConsoleIsLive(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-WKS-001")
	first := openTab(t, 1280, 800)
	first.do(
		"a device's page",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/devices/SKL-WKS-001"),
		browser.Reads("Events"),
	)
	other, closeOther := chromedp.NewContext(first.Context)
	t.Cleanup(closeOther)
	second := &tab{Context: other, t: t}
	second.do(
		"the list in a second tab",
		chromedp.Navigate(s.URL+"/devices"),
		browser.Reads("SKL-WKS-001"),
		browser.Reads("in step"),
	)

	d.AddAccount("counter")
	for range 10 {
		require.Error(t, d.SignIn("counter", "wrong"))
	}
	require.NoError(t, d.Cycle(t.Context()))
	first.do(
		"a lock arrives, and is opened from here",
		browser.Reads("Locked out"),
		click("Unlock"),
		browser.Reads("Unlocking"),
	)
	s.carried(d, "SKL-WKS-001", "unlock done")
	first.do(
		"it is open",
		browser.Until(`!document.body.innerText.includes("Locked out")`),
		browser.Reads("the account counter was unlocked by an order"),
	)
	d.AddAccount("mechanic")
	require.NoError(t, d.Join("administrators", "mechanic"))
	require.NoError(t, d.Cycle(t.Context()))
	first.do("it was put right", browser.Reads("mechanic is a member, but not in the exact list"))
	lock := func() {
		for range 10 {
			require.Error(t, d.SignIn("mooring", "wrong"))
		}
		require.NoError(t, d.Join("administrators", "mechanic"))
	}
	lock()
	require.NoError(t, d.Cycle(t.Context()))
	first.do("it cannot be put right", browser.Reads("would leave no usable administrator"))
	second.do(
		"the other tab hears of it too",
		browser.Until(`document.querySelector('[role="rowgroup"]').innerText.includes("drifted")`),
	)

	first.do("the tab that listened is closed", chromedp.Navigate("about:blank"))
	require.NoError(t, d.Unlock(t.Context(), d.Find("mooring")))
	require.NoError(t, d.Cycle(t.Context()))
	second.do(
		"the other one listens now",
		browser.Until(`document.querySelector('[role="rowgroup"]').innerText.includes("in step")`),
	)

	s.stop()
	second.do("it says since when it is quiet", browser.Reads("The service was last heard at"))
	s.run()
	second.do("and when it is again", browser.Until(`!document.body.innerText.includes("was last heard at")`))
	lock()
	s.until(func() bool { return d.Cycle(t.Context()) == nil })
	second.do("and goes on", browser.Until(`document.querySelector('[role="rowgroup"]').innerText.includes("drifted")`))
}
