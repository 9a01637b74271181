package e2e

import (
	"errors"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// Nobody agrees to their own, whatever they are called by then and wherever they signed in.
func TestNobodyAgreesToTheirOwnWarrant(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.config.Approvals.AddedAdministrators = true
	s.restart()
	s.enrolled("SKL-TKT-001")
	pilot := s.as("pilot", "deployer")
	mine, err := pilot.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
	require.NoError(t, err)
	require.Equal(t, "waiting", mine.State)

	elsewhere := s.client()
	_, err = elsewhere.SignIn(ctx, "pilot", ownerPassword)
	require.NoError(t, err)
	problem(t, elsewhere.DecideWarrant(ctx, mine.ID, true, ""), 403, "you asked for this warrant")
	require.NoError(t, change(t, s.config.Database, "update operators set name = 'helm' where name = 'pilot'"))
	renamed := s.client()
	_, err = renamed.SignIn(ctx, "helm", ownerPassword)
	require.NoError(t, err)
	problem(t, renamed.DecideWarrant(ctx, mine.ID, true, ""), 403, "you asked for this warrant")
	// Somebody who gets the name that was free is told the same: who is meant is not known any more.
	problem(t, s.as("pilot", "deployer").DecideWarrant(ctx, mine.ID, true, ""), 403, "you asked for this warrant")
	token, err := renamed.CreateToken(ctx, "program", "", 1)
	require.NoError(t, err)
	problem(t, client.New(s.URL, token.Secret).DecideWarrant(ctx, mine.ID, true, ""), 403, "an API token may not")
	w, err := s.owner.Warrant(ctx, mine.ID)
	require.NoError(t, err)
	assert.Equal(t, "waiting", w.State)
}

// No end is so far away that it comes back as a near one, and none is before its beginning.
func TestAWarrantHasAnEnd(t *testing.T) {
	s := startTogether(t)
	s.enrolled("SKL-TKT-001")
	for _, minutes := range []string{"60", "-15", "0", "14", "43201", "153722868", "9223372036854775807",
		"9223372036854775808", "1e300", "null"} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/warrants",
			strings.NewReader(`{"principal": "local:clerk", "devices": ["SKL-TKT-001"], "reason": "r", "minutes": `+
				minutes+`}`))
		require.NoError(t, err)
		req.Header = s.session("asta")
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, errors.Join(err, resp.Body.Close()))
		if minutes == "60" {
			require.Equal(t, 201, resp.StatusCode, "%s", body)
			continue
		}
		assert.Contains(t, []int{400, 422}, resp.StatusCode, "%s: %s", minutes, body)
	}
	n, err := query[int](t, s.config.Database, "select count(*) from warrants")
	require.NoError(t, err)
	assert.Equal(t, 1, n)
}

// Who was in a group when its warrant was agreed stays on the trail, whoever joins it afterwards.
func TestTheGroupOfAWarrantGrows(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	_, err := s.owner.ImportDirectory(ctx, []byte(demoDirectory(t)), false, false)
	require.NoError(t, err)
	s.enrolled("SKL-TKT-001")
	support := s.as("nightwatch", "support")
	w, err := support.AskWarrant(ctx, asks("group:fleet support@skerryline.example", "SKL-TKT-001"))
	require.NoError(t, err)
	join := func(person string) {
		require.NoError(t, change(t, s.config.Database, "insert into directory_members (group_ref, member_ref) values "+
			"('group:fleet support@skerryline.example', '"+person+"')"))
	}
	newcomer, later := notIn(t, s, w.People, 0), notIn(t, s, w.People, 1)
	join(newcomer)
	shown, err := s.owner.Warrant(ctx, w.ID)
	require.NoError(t, err)
	assert.Contains(t, shown.People, newcomer, "while it waits it names who would be in it now")
	require.NoError(t, s.owner.DecideWarrant(ctx, w.ID, true, ""))
	join(later)
	given, err := s.owner.Warrant(ctx, w.ID)
	require.NoError(t, err)
	assert.Contains(t, given.People, newcomer)
	assert.NotContains(t, given.People, later)
	told, err := query[string](t, s.config.Database,
		"select after->>'people' from audit_entries where action = 'warrant.decided' and outcome = 'done'")
	require.NoError(t, err)
	assert.Contains(t, told, newcomer)
	assert.NotContains(t, told, later)
}

// notIn is one of the people of the directory who are not among some.
func notIn(t *testing.T, s *service, people []string, skip int) string {
	t.Helper()
	who, err := query[string](t, s.config.Database, "select ref from directory_entries where kind = 'user' and ref "+
		"not in ('"+
		strings.Join(people, "', '")+"') order by ref offset "+string(rune('0'+skip))+" limit 1")
	require.NoError(t, err)
	return who
}

// Warrants that come and go leave nothing in what a device is asked for.
func TestManyWarrantsOnOneDevice(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	d.AddAccount("clerk")
	var last api.Warrant
	for range 40 {
		w, err := s.owner.AskWarrant(ctx, asks("local:clerk", "SKL-TKT-001"))
		require.NoError(t, err)
		require.NoError(t, s.owner.TakeBackWarrant(ctx, w.ID, "again"))
		last = w
	}
	assert.Equal(t, 40, last.Like)
	s.settled()
	s.until(func() bool {
		require.NoError(t, d.Cycle(ctx))
		told, err := query[int](t, s.config.Database, "select count(*) from settings where body like '%\"warrants\"%' "+
			"and digest = (select settings_digest from devices where name = 'SKL-TKT-001')")
		require.NoError(t, err)
		return told == 0 && !isAdministrator(t, d, "clerk")
	})
}
