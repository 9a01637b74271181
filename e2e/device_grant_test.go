package e2e

import (
	"bufio"
	"encoding/json"
	"net/http"
	"net/url"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

// polls asks once for the token of a program, as the standard has it, and gives the error and the token.
func (s *service) polls(deviceCode string) (name, token string) {
	s.clock.forward(2 * time.Second)
	return s.pollsAtOnce(deviceCode)
}

func (s *service) pollsAtOnce(deviceCode string) (name, token string) {
	resp, err := http.PostForm(s.URL+"/api/v1/device-token", url.Values{
		"grant_type": {"urn:ietf:params:oauth:grant-type:device_code"}, "device_code": {deviceCode},
	})
	require.NoError(s.t, err)
	defer resp.Body.Close()
	var out struct {
		Error string
		Token string `json:"access_token"`
		Type  string `json:"token_type"`
	}
	require.NoError(s.t, json.NewDecoder(resp.Body).Decode(&out))
	if out.Error == "" {
		assert.Equal(s.t, "Bearer", out.Type)
	} else {
		assert.Equal(s.t, http.StatusBadRequest, resp.StatusCode)
	}
	return out.Error, out.Token
}

// A program gets a token when a person allows it, once, with that person's rights and no more; otherwise it gets
// nothing.
func TestAProgramAsksForAToken(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	program := client.New(s.URL, "").Look(hasLooked)
	dagny := s.as("dagny", "viewer")
	ask := func() client.Asked {
		asked, err := program.AskForToken(ctx, "a script", 2)
		require.NoError(t, err)
		return asked
	}
	asked := ask()
	assert.Regexp(t, `^[B-Z]{4}-[B-Z]{4}$`, asked.UserCode)
	assert.Equal(t, s.URL+"/allow?code="+asked.UserCode, asked.WholePage)
	name, _ := s.polls(asked.DeviceCode)
	assert.Equal(t, "authorization_pending", name)
	name, _ = s.pollsAtOnce(asked.DeviceCode)
	assert.Equal(t, "slow_down", name)
	name, _ = s.polls("made up")
	assert.Equal(t, "expired_token", name)
	g, err := dagny.DeviceGrant(ctx, strings.ToLower(strings.ReplaceAll(asked.UserCode, "-", " ")))
	require.NoError(t, err)
	assert.Equal(t, "a script", g.Program)
	require.NoError(t, dagny.DecideDeviceGrant(ctx, asked.UserCode, true))
	problem(t, s.owner.DecideDeviceGrant(ctx, asked.UserCode, true), http.StatusNotFound, "decided on already")
	name, token := s.polls(asked.DeviceCode)
	require.Empty(t, name)
	me, err := client.New(s.URL, token).Look(hasLooked).Me(ctx)
	require.NoError(t, err)
	assert.Equal(t, "dagny", me.Name)
	name, _ = s.polls(asked.DeviceCode)
	assert.Equal(t, "expired_token", name, "it is given once")
	problem(t, client.New(s.URL, token).Look(hasLooked).
		DecideDeviceGrant(ctx, ask().UserCode, true), http.StatusForbidden,
		"sign in with your password")

	refused := ask()
	require.NoError(t, dagny.DecideDeviceGrant(ctx, refused.UserCode, false))
	name, _ = s.polls(refused.DeviceCode)
	assert.Equal(t, "access_denied", name)
	late := ask()
	s.clock.forward(11 * time.Minute)
	problem(t, dagny.DecideDeviceGrant(ctx, late.UserCode, true), http.StatusNotFound, "may have expired")
	name, _ = s.polls(late.DeviceCode)
	assert.Equal(t, "expired_token", name)

	// Who was disabled in between gives nothing away.
	gone := ask()
	require.NoError(t, dagny.DecideDeviceGrant(ctx, gone.UserCode, true))
	_, err = s.owner.EditOperator(ctx, "dagny", client.OperatorChange{Disabled: new(true)})
	require.NoError(t, err)
	name, _ = s.polls(gone.DeviceCode)
	assert.Equal(t, "access_denied", name)
	_, err = client.New(s.URL, token).Look(hasLooked).Me(ctx)
	problem(t, err, http.StatusUnauthorized, "revoked")

	for range 25 {
		if _, err = program.AskForToken(ctx, "a flood", 1); err != nil {
			break
		}
	}
	problem(t, err, http.StatusTooManyRequests, "")
	decided, err := s.owner.Trail(ctx, client.TrailQuery{Action: "device_grant"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, decided.Items, 4)
	assert.NotContains(t, dump(t, s.config.Database), asked.DeviceCode)
}

// The command shows a code, somebody allows it in the console, and the command goes on.
func TestTheCommandSignsInThroughTheConsole(t *testing.T) {
	s := start(t)
	home := t.TempDir()
	cmd := exec.Command(filepath.Join(binaries, "rankwarden"), "sign-in", "--server", s.URL)
	cmd.Env = []string{"HOME=" + home}
	said, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	lines := bufio.NewReader(said)
	page := ""
	for page == "" {
		line, err := lines.ReadString('\n')
		require.NoError(t, err)
		page = regexp.MustCompile(`https?://\S+`).FindString(line)
	}
	b := openTab(t, 1280, 800)
	b.do("allow",
		browser.SignIn(page, "asta", ownerPassword),
		browser.Reads("asks to act as you for 12 hours"),
	)
	b.axeInBoth("allowing a program")
	b.do("allowed", click("Allow"), browser.Reads("The program goes on by itself"))
	b.noErrors()
	require.NoError(t, cmd.Wait())
	who := exec.Command(filepath.Join(binaries, "rankwarden"), "whoami")
	who.Env = cmd.Env
	out, err := who.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "asta (owner)")
}
