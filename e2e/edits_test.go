package e2e

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func TestDraftsRevisionsAndStaleEdits(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	p, err := s.owner.Policy(ctx, "base")
	require.NoError(t, err)
	mine, err := s.owner.SavePolicy(ctx, "base", document("base", "passwords: {min_length: 9}"), p.Version)
	require.NoError(t, err)
	_, err = s.owner.SavePolicy(ctx, "base", document("base", "passwords: {min_length: 99}"), p.Version)
	problem(t, err, http.StatusPreconditionFailed, "read it again")
	_, err = s.owner.PublishPolicy(ctx, "base", p.Version)
	problem(t, err, http.StatusPreconditionFailed, "read it again")

	// A draft touches nothing; a publish moves the assignment, and says so.
	a, err := s.owner.Assignment(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 1, a.Revision)
	done, err := s.owner.PublishPolicy(ctx, "base", mine.Version)
	require.NoError(t, err)
	assert.Equal(t, api.Publication{Policy: "base", Revision: 2, Moved: []string{"base"}}, done)
	a, err = s.owner.Assignment(ctx, "base")
	require.NoError(t, err)
	assert.Equal(t, 2, a.Revision)

	first, err := s.owner.Revision(ctx, "base", 1)
	require.NoError(t, err)
	assert.Equal(t, document("base", "passwords: {min_length: 8}"), first.Source, "a revision never changes")
	revisions, err := s.owner.Revisions(ctx, "base", client.Page{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, 2, revisions.Items[0].Number)
	revisions, err = s.owner.Revisions(ctx, "base", client.Page{Limit: 1, Cursor: revisions.Next})
	require.NoError(t, err)
	assert.Equal(t, 1, revisions.Items[0].Number)
	assert.Empty(t, revisions.Next)

	_, err = s.owner.CreatePolicy(ctx, document("draft", "lockout: {threshold: 1}"))
	require.NoError(t, err)
	_, err = s.owner.CreateAssignment(ctx, "draft", api.Aim{Policy: "draft", Include: []string{"everything"}, Rank: 1})
	problem(t, err, http.StatusUnprocessableEntity, "publish it first")
	_, err = s.owner.EditAssignment(
		ctx,
		"base",
		api.Aim{Policy: "base", Include: []string{"everything"}, Rank: 1},
		a.Version+1,
	)
	problem(t, err, http.StatusPreconditionFailed, "read it again")
	found, err := s.owner.Policies(ctx, "DRA", client.Page{})
	require.NoError(t, err)
	require.Len(t, found.Items, 1)
	assert.Equal(t, "draft", found.Items[0].Name)
}

func TestRemovedAssignmentSettlesItsDevicesWithoutIt(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.publish("extra", "lockout: {threshold: 3}", 100, "everything")
	d := s.enrolled("SKL-TKT-001")
	require.Len(t, s.why("SKL-TKT-001").Units, 2)
	a, err := s.owner.Assignment(t.Context(), "extra")
	require.NoError(t, err)
	require.NoError(t, s.owner.DeleteAssignment(t.Context(), "extra", a.Version))
	s.cycle(d, "SKL-TKT-001")
	w := s.why("SKL-TKT-001")
	require.Len(t, w.Units, 1)
	assert.EqualValues(t, 2, w.Device.Reported)
	state, err := d.Read(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 3, state.Lockout.Threshold, "what was set stays as it is when nobody asks any more")
}

func TestOperatorsAreChangedAndDisabled(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	look := s.as("bjorn", viewer)
	patch := func(name, body string) int {
		token, err := s.owner.CreateToken(ctx, "patch", "", 1)
		require.NoError(t, err)
		req, err := http.NewRequestWithContext(
			ctx,
			http.MethodPatch,
			s.URL+"/api/v1/operators/"+name,
			stringReader(body),
		)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token.Secret)
		req.Header.Set("Content-Type", "application/json")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	assert.Equal(t, 422, patch("asta", `{"disabled": true}`), "nobody shuts themselves out")
	assert.Equal(t, 422, patch("bjorn", `{"password": "short"}`))
	assert.Equal(t, 404, patch("nobody", `{"disabled": true}`))
	_, err := look.Me(ctx)
	require.NoError(t, err)
	assert.Equal(
		t,
		200,
		patch("bjorn", `{"roles": [{"role": "owner", "groups": []}], "password": "another lamp, another pier"}`),
	)
	_, err = look.Me(ctx)
	problem(t, err, 401, "sign in again")
	_, err = look.SignIn(ctx, "bjorn", "another lamp, another pier")
	require.NoError(t, err)
	require.NoError(t, look.ChangeOwnPassword(ctx, "another lamp, another pier", "", another))
	_, err = look.CreateGroup(ctx, client.GroupSpec{Name: "mine"})
	require.NoError(t, err)
	token, err := look.CreateToken(ctx, "mine", "", 1)
	require.NoError(t, err)
	assert.Equal(t, 200, patch("bjorn", `{"disabled": true}`))
	_, err = client.New(s.URL, token.Secret).Look(hasLooked).Me(ctx)
	problem(t, err, 401, "revoked")
	_, err = look.SignIn(ctx, "bjorn", another)
	problem(t, err, 401, "wrong")
}

func TestAnotherSiteCannotUseASession(t *testing.T) {
	s := start(t)
	req, err := http.NewRequest(
		http.MethodPost,
		s.URL+"/api/v1/session",
		stringReader(`{"name": "asta", "password": "`+ownerPassword+`"}`),
	)
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	require.Len(t, resp.Cookies(), 1)
	cookie := resp.Cookies()[0]
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)
	post := func(site string) int {
		req, err := http.NewRequest(http.MethodPost, s.URL+"/api/v1/groups", stringReader(`{"name": "g-`+site+`"}`))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Sec-Fetch-Site", site)
		req.AddCookie(cookie)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		resp.Body.Close()
		return resp.StatusCode
	}
	assert.Equal(t, http.StatusForbidden, post("cross-site"))
	assert.Equal(t, http.StatusCreated, post("same-origin"))
}

// The agent as a program: it enrols, carries out what is asked, and is the same device next time.
func TestAgentCommand(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	dir := t.TempDir()
	token := filepath.Join(dir, "token")
	require.NoError(t, os.WriteFile(token, []byte(s.enrolmentToken(1)+"\n"), 0o600))
	run := func(args ...string) (string, error) {
		out, err := exec.Command(filepath.Join(binaries, "rankwarden-agent"),
			append([]string{"--once", "--host", "simulated", "--service", s.URL, "--state", filepath.Join(dir, "state"),
				"--name", "SKL-WKS-009"}, args...)...).
			CombinedOutput()
		return string(out), err
	}
	out, err := run()
	require.Error(t, err)
	assert.Contains(t, out, "copy it whole", "it cannot enrol without a token")
	_, err = run("--token-file", token)
	require.NoError(t, err)
	s.settled()
	s.until(func() bool {
		out, err := run()
		require.NoError(t, err, out)
		return standing(s, "SKL-WKS-009") == "in_step"
	})
	info, err := os.Stat(filepath.Join(dir, "state", "agent.json"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	devices, err := s.owner.Devices(t.Context(), client.DeviceQuery{Search: "wks-009"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, devices.Items, 1)
}
