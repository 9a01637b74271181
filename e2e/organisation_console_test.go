package e2e

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/room/notify"
)

// What an owner sets up, and what comes of it, in the console: notifications, keys, tokens, settings, the report, the
// tour.
func TestTheOrganisationInTheConsole(t *testing.T) {
	s := notified(t)
	ctx := t.Context()
	s.config.SecondPersonKeys = true
	s.restart()
	other := s.as("bera", "owner")
	s.webhook("old-desk", notify.Refused)
	r := s.webhook("desk", notify.Refused)
	s.publish("base", mooringOnly, 500, "everything")
	s.enrolled("SKL-HQ-001")
	_, err := s.as("nightwatch", "support").Reveal(ctx, "SKL-HQ-001", api.RevealSpec{Reason: "ticket 4711"})
	require.NoError(t, err)
	require.NoError(t, s.Reporting.RecordStandings(ctx))

	b := openTab(t, 1280, 800)
	b.do("the tour",
		browser.FirstSignIn(s.URL, "asta", ownerPassword),
		browser.Reads("New here?"), click("Show me"), browser.Reads("Watch: the fleet now"), click("Next"),
		browser.Reads("Policies: what devices should have"), click("Back"), browser.Reads("Watch: the fleet now"),
		browser.Reads("1 online"))
	b.axe("the tour")
	b.do("leave it", click("Leave the tour"), chromedp.Navigate(s.URL+"/watch"), browser.Reads("Standings"),
		browser.Until(`!document.querySelector('aside[aria-label="Tour"]')`))

	b.do("a test of a target",
		chromedp.Navigate(s.URL+"/organisation/notifications?target=desk"),
		browser.Reads("Send a test"), click("Send a test"), browser.Reads("The test message arrived"),
		browser.Seen(`[aria-label="Deliveries"] [role="cell"]`))
	b.axeInBoth("notifications")
	require.Len(t, r.Events(), 1)
	b.do("a new target",
		click("New target"), browser.Type(`form input[name="name"]`, "pager"),
		browser.Type(`form input[name="address"]`, "https://10.0.0.1/page"), click("Create target"),
		browser.Reads("addresses of the service's own networks are refused"))
	_, err = s.owner.NotificationTarget(ctx, "pager")
	require.Error(t, err)
	b.forget() // what was refused on purpose
	b.do("a deleted target", chromedp.Navigate(s.URL+"/organisation/notifications?target=old-desk"),
		click("Delete…"), click("Delete"), browser.Until(`!document.body.innerText.includes("old-desk")`))

	b.forget() // the list of its deliveries was asked for once more

	file := t.TempDir() + "/recovery.json"
	s.makes(other, 2, "recovery", file)
	require.NoError(t, other.ProveEscrowKey(ctx, 2, s.answers(other, 2, file)))
	b.do("a second owner decides",
		chromedp.Navigate(s.URL+"/organisation/keys"),
		browser.Reads("bera asks for it to go live"),
		browser.Seen(`[aria-label="Passwords without a recovery copy"] [role="cell"]`))
	b.axeInBoth("keys")
	b.do("approve", click("Approve"), browser.Until(
		`document.body.innerText.match(/live: devices seal to it/g).length == 2`))
	assert.Equal(t, "live", s.key(2).State)

	made, err := other.CreateToken(ctx, "inventory", "viewer", 24)
	require.NoError(t, err)
	b.do("revoke a token", chromedp.Navigate(s.URL+"/organisation/tokens"), browser.Reads("inventory"),
		browser.Click(`//button[contains(., "Revoke")]`),
		click("Revoke it"), browser.Reads("revoked"))
	b.axeInBoth("tokens")
	_, err = client.New(s.URL, made.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "revoked")
	b.do("settings", chromedp.Navigate(s.URL+"/organisation/settings"), browser.Reads("approve-keys"))
	b.axeInBoth("settings")
	b.do("the report", chromedp.Navigate(s.URL+"/report?days=7"), browser.Reads("ticket 4711"),
		browser.Seen(`svg[role="img"]`))
	b.axeInBoth("the report")
	b.do("one's own token", chromedp.Navigate(s.URL+"/me"), browser.Reads("Your API tokens"),
		browser.Type(`form input:not([inputmode]):not([maxlength])`, "my script"), click("Create token"),
		browser.Seen(`pre[data-secret]`))
	b.axeInBoth("one's own sign-in")
	b.noErrors()
}
