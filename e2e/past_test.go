package e2e

import (
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

// On that day: what a device was to have, what it had, and which assignments decided, however often that has changed
// since.
func TestADeviceAsItWas(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	before := time.Now()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	d := s.enrolled("SKL-HQ-001")
	s.cycle(d, "SKL-HQ-001")
	first := time.Now()
	s.publish("strict", "passwords: {min_length: 14}\nlockout: {threshold: 5}", 100, "everything")
	s.settled()
	unreported := time.Now()
	s.cycle(d, "SKL-HQ-001")
	second := time.Now()
	a, err := s.owner.Assignment(ctx, "strict")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(ctx, "strict", a.Version))
	s.cycle(d, "SKL-HQ-001")

	at := func(then time.Time) (api.DeviceWhy, map[string]api.UnitWhy) {
		w, err := s.owner.WhyAt(ctx, "SKL-HQ-001", then)
		require.NoError(t, err)
		units := map[string]api.UnitWhy{}
		for _, u := range w.Units {
			units[u.Unit] = u
		}
		return w, units
	}
	w, units := at(first)
	assert.Len(t, units, 1)
	assert.Equal(t, "8 characters", units["passwords.min_length"].Desired)
	assert.Equal(t, "8 characters", units["passwords.min_length"].Reported)
	assert.Equal(t, "base (only assignment)", units["passwords.min_length"].DecidedBy)
	assert.Equal(t, "in_step", w.Device.Standing)
	require.Len(t, w.Assignments, 1)
	assert.WithinDuration(t, first, *w.At, time.Millisecond)

	w, units = at(unreported)
	assert.Equal(t, "14 characters", units["passwords.min_length"].Desired)
	assert.Equal(t, "8 characters", units["passwords.min_length"].Reported)
	assert.Equal(t, "strict outranks base", units["passwords.min_length"].DecidedBy)
	assert.Equal(t, "waiting", w.Device.Standing)

	w, units = at(second)
	assert.Equal(t, "14 characters", units["passwords.min_length"].Reported)
	assert.Equal(t, "after 5 wrong attempts within 15 min, locked for 15 min", units["lockout"].Desired)
	assert.Equal(t, "in_step", w.Device.Standing)
	assert.Len(t, w.Assignments, 2, "also of an assignment that was deleted since")
	for _, e := range w.Happened {
		assert.False(t, e.At.After(second))
	}

	_, err = s.owner.WhyAt(ctx, "SKL-HQ-001", before.Add(-time.Hour))
	problem(t, err, http.StatusNotFound, "is not kept")
	_, err = s.owner.WhyAt(ctx, "SKL-HQ-001", time.Now().Add(time.Hour))
	problem(t, err, http.StatusUnprocessableEntity, "has not come yet")
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "nowhere"})
	require.NoError(t, err)
	_, err = s.as("vigdis", "viewer", "nowhere").WhyAt(ctx, "SKL-HQ-001", first)
	problem(t, err, http.StatusNotFound, "SKL-HQ-001")

	b := openTab(t, 1280, 800)
	b.do(
		"look at it as it was, and come back",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/devices/SKL-HQ-001?at="+second.Format("2006-01-02T15:04:05.000")),
		browser.Reads("This is SKL-HQ-001 as it was at"),
		browser.Reads("strict outranks base"),
		browser.Until(`!document.body.innerText.includes("Check again")`),
		click("Back to now"),
		browser.Reads("base (only assignment)"),
	)
	b.noErrors()
}
