package e2e

import (
	"encoding/json"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// How the fleet and its groups stood is kept hour by hour, and shown to those whose reach it is.
func TestStandingsAreKeptByTheHour(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "workshop", Devices: []string{"SKL-WKS-001"}})
	require.NoError(t, err)
	s.enrolled("SKL-WKS-001")
	s.enrolled("SKL-HQ-001")
	s.as("dagny", "viewer", "workshop")
	history := func(who, query string) (items []api.StandingHour, status int) {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/standing-history"+query, nil)
		require.NoError(t, err)
		req.Header = s.session(who)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		var body struct{ Items []api.StandingHour }
		_ = json.NewDecoder(resp.Body).Decode(&body)
		return body.Items, resp.StatusCode
	}
	s.clock.stop()
	require.NoError(t, s.Reporting.RecordStandings(ctx))
	s.clock.forward(time.Hour)
	require.NoError(t, s.Reporting.RecordStandings(ctx))
	require.NoError(t, s.Reporting.RecordStandings(ctx), "the last of an hour counts")

	whole, _ := history("asta", "")
	require.GreaterOrEqual(t, len(whole), 2)
	now := whole[len(whole)-1]
	assert.Equal(t, api.Standings{Silent: 2}, now.Standings, "nobody was heard from for an hour")
	assert.Equal(t, api.Standings{InStep: 2}, whole[len(whole)-2].Standings)
	assert.Equal(t, time.Hour, now.Hour.Sub(whole[len(whole)-2].Hour))
	of, _ := history("dagny", "?group=workshop")
	assert.Equal(t, api.Standings{Silent: 1}, of[len(of)-1].Standings)
	none, _ := history("dagny", "")
	assert.Empty(t, none)
	_, status := history("asta", "?group=worksop")
	assert.Equal(t, http.StatusUnprocessableEntity, status)

	s.clock.forward(401 * 24 * time.Hour)
	require.NoError(t, s.Reporting.RecordStandings(ctx))
	left, err := query[int](t, s.config.Database, "select count(*) from standing_hours where group_name = ''")
	require.NoError(t, err)
	assert.Equal(t, 1, left)
}
