package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/unit"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/agent/host/simulated"

	"github.com/chromedp/chromedp"
)

// What the brake holds is looked at and released on Watch; a finding is waived on the page of drift, and the waiver is
// ended.
func TestDecisionsOfTheDayInTheConsole(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.config.Brake = gate.DefaultBrake
	s.restart()
	s.rule("kiosks", `"kiosk" in device.tags`)
	s.publish("base", "lockout: {threshold: 5, duration: 15m, window: 15m}", 500, "everything")
	s.publish("kiosk", "passwords: {history: 5}", 100, "kiosks")
	tags, facts := []string{"kiosk"}, []api.Facts{}
	var last *device
	for i := range 6 {
		name := fmt.Sprintf("SKL-INF-%03d", i+1)
		last = s.enrolled(name)
		facts = append(facts, api.Facts{Device: name, Tags: &tags})
	}
	problem(t, s.owner.SetFacts(ctx, facts), http.StatusConflict, "6 of 6 devices")
	require.NoError(t, last.SetLockout(ctx, unit.LockoutRule{Threshold: 50, DurationMinutes: 1, WindowMinutes: 1}))
	last.SetFaults(simulated.Faults{DenyLockout: true})
	s.cycle(last, "SKL-INF-006")

	b := openTab(t, 1280, 800)
	b.do(
		"see what waits",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/watch"),
		browser.Reads("Waits: a change of facts would alter the desired state of 6 devices of 6"),
		click("Look and decide"),
		browser.Reads("history gets stricter: 0 remembered → 5 remembered"),
	)
	b.axeInBoth("what the brake holds")
	b.do(
		"release it",
		browser.Type(`[role="dialog"] textarea`, "the screens at Kirkness"),
		enabled("Release"),
		click("Release"),
		browser.Reads("Released: it is done now."),
	)
	s.settled()
	s.cycle(last, "SKL-INF-006")
	assert.Equal(t, 5, *stateOf(t, last).Passwords.History)
	b.do(
		"waive what cannot be put right",
		chromedp.Navigate(s.URL+"/drift"),
		browser.Reads("the device could not change it: access denied"),
		click("Choose all that are listed"),
		browser.Reads("2 findings on 1 device chosen"),
		click("Waive…"),
		browser.Reads("Waive 2 findings?"),
	)
	b.axeInBoth("the window that waives")
	b.do(
		"with a reason",
		browser.Type(`[role="dialog"] textarea`, "it is replaced in May"),
		enabled("Waive"),
		click("Waive"),
		browser.Reads("No device differs from its desired state."),
		chromedp.Navigate(s.URL+"/waivers"),
		browser.Reads("it is replaced in May"),
	)
	b.axeInBoth("waivers")
	b.do(
		"end it",
		browser.Until(`(b => b !== undefined && (b.click(), true))(
			[...document.querySelectorAll("button")].find(b => b.innerText.startsWith("End now")))`),
		browser.Reads("No waivers."),
	)
	open, err := s.owner.Findings(ctx, client.FindingQuery{}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, open.Items, 2)
	b.noErrors()
}
