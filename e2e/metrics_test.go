package e2e

import (
	"io"
	"net/http"
	"regexp"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/room/notify"
)

// figures reads what the service tells machines.
func (s *service) figures() (text string, value func(series string) float64) {
	req, err := http.NewRequestWithContext(s.t.Context(), http.MethodGet, s.MetricsURL, nil)
	require.NoError(s.t, err)
	req.Header.Set("Accept", "application/openmetrics-text; version=1.0.0")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(s.t, err)
	defer resp.Body.Close()
	require.Contains(s.t, resp.Header.Get("Content-Type"), "application/openmetrics-text")
	data, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	return string(data), func(series string) float64 {
		found := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta("rankwarden_"+series) + ` (\S+)`).FindSubmatch(data)
		require.NotNil(s.t, found, series)
		n, err := strconv.ParseFloat(string(found[1]), 64)
		require.NoError(s.t, err)
		return n
	}
}

func TestMachinesReadHowAllStands(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.MetricsListen = "127.0.0.1:0"
	s.run()
	s.publish("base", mooringOnly, 500, "everything")
	s.cycle(s.enrolled("SKL-TKT-001"), "SKL-TKT-001")
	s.device("SKL-TKT-002", s.enrolmentToken(1))
	_, err := s.owner.Devices(t.Context(), client.DeviceQuery{}, client.Page{})
	require.NoError(t, err)
	text, value := s.figures()
	assert.EqualValues(t, 1, value("database_up"))
	assert.EqualValues(t, 1, value(`devices{standing="in_step"}`))
	assert.Zero(t, value(`devices{standing="drifted"}`))
	assert.Zero(t, value("passwords_overdue"))
	assert.Zero(t, value("orders_waiting"))
	assert.Zero(t, value(`notification_deliveries{state="failed"}`))
	assert.EqualValues(t, 1, value("passwords_unrecovered"))
	assert.Positive(t, value("trail_entries"))
	assert.Positive(t, value(`request_seconds_count{method="POST",route="/device/v1/check-in",status="2xx"}`))
	assert.NotContains(t, text, "SKL-TKT", "no device is named")
	assert.NotContains(t, text, "asta", "and nobody")

	// What waits too long is seen.
	_, err = s.owner.CreateNotificationTarget(t.Context(), "away",
		api.NotificationTargetSpec{Kind: "webhook", Address: "https://localhost:1/",
			Events: []string{notify.CheckpointSigned}, Enabled: true})
	require.NoError(t, err)
	_, err = s.owner.SendOrder(t.Context(), api.NewOrder{Kind: "check-in", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	require.NoError(t, s.Trail.AnchorHourly(t.Context())) // which the target is told of
	s.until(s.jobEnded("retention", "completed"))         // its next turn would forget what is told, in a hundred days
	s.clock.forward(100 * 24 * time.Hour)
	_, value = s.figures()
	assert.EqualValues(t, 1, value("passwords_overdue"))
	assert.Greater(t, value("trail_checkpoint_age_seconds"), float64(99*24*3600))
	assert.Zero(t, value("trail_unsigned_entries"))
	assert.EqualValues(t, 1, value("orders_waiting"))
	s.eventually(func() bool {
		_, value := s.figures()
		return value(`notification_deliveries{state="waiting"}`)+value(`notification_deliveries{state="failed"}`) > 0
	}, "a delivery that nobody takes")
	assert.EqualValues(t, 1, value(`devices{standing="silent"}`))
}
