package e2e

import (
	"bytes"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/store"
)

// heard gathers whatever is written, from many at once.
type heard struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (h *heard) Write(p []byte) (int, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.b.Write(p)
}

func (h *heard) String() string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.b.String()
}

// traced writes down what devices and the service say to each other, signed documents opened.
type traced struct{ to io.Writer }

func (w traced) RoundTrip(req *http.Request) (*http.Response, error) {
	note := func(body []byte) {
		fmt.Fprintf(w.to, "%s\n", body)
		if parts := strings.Split(string(body), "."); len(parts) == 3 {
			payload, _ := base64.RawURLEncoding.DecodeString(parts[1])
			fmt.Fprintf(w.to, "%s\n", payload)
		}
	}
	fmt.Fprintln(w.to, req.Method, req.URL, req.Header)
	if req.Body != nil {
		body, err := io.ReadAll(req.Body)
		if err != nil {
			return nil, err
		}
		note(body)
		req.Body = io.NopCloser(bytes.NewReader(body))
	}
	resp, err := http.DefaultTransport.RoundTrip(req)
	if err != nil {
		return nil, err
	}
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return nil, err
	}
	note(body)
	resp.Body.Close()
	resp.Body = io.NopCloser(bytes.NewReader(body))
	return resp, nil
}

// dump is every table of the service's database as text.
func dump(t *testing.T, url string) string {
	conn, err := pgx.Connect(t.Context(), pgcluster.ForOwner(url))
	require.NoError(t, err)
	defer conn.Close(t.Context())
	found, err := conn.Query(
		t.Context(),
		"select relname from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace",
	)
	require.NoError(t, err)
	tables, err := pgx.CollectRows(found, pgx.RowTo[string])
	require.NoError(t, err)
	require.Contains(t, tables, "deposits")
	var all bytes.Buffer
	for _, table := range tables {
		_, err := conn.PgConn().CopyTo(t.Context(), &all, "copy "+table+" to stdout")
		if gone := (*pgconn.PgError)(nil); errors.As(err, &gone) && gone.Code == "42P01" {
			continue // a month of history that retention dropped meanwhile
		}
		require.NoError(t, err)
	}
	return all.String()
}

// After a whole run with passwords that are known, none of them is anywhere but in front of who asked.
func TestNoSecretIsLeftAnywhere(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	logs, traces := &heard{}, &heard{}
	s.stop()
	s.log, s.way = logs, traced{traces}
	s.run()
	s.publish("base", strings.Replace(desk, "%THEN%", "end-sessions", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	support := s.as("nightwatch", "support")
	shown, err := support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4711"})
	require.NoError(t, err)
	secrets := []string{shown.Candidates[0].Password, ownerPassword}
	require.NoError(t, d.SignIn(shown.Password.Name, secrets[0]))
	s.changed(t, d)
	secrets = append(secrets, s.current("SKL-TKT-001"))
	require.Error(t, d.SignIn(s.managed(d, "SKL-TKT-001").Name, secrets[0]), "typed again, it is wrong now")

	// The console: shown, hidden, and gone. Then copied without being shown.
	b := openTab(t, 1280, 800)
	b.do(
		"signing in",
		browser.SignIn(s.URL, "nightwatch", ownerPassword),
		chromedp.Navigate(s.URL+"/passwords?device=SKL-TKT-001&account=account:mooring"),
		browser.Seen("textarea"),
	)
	b.do(
		"showing",
		browser.Type("textarea", "ticket 4712"),
		browser.Click(`button[value="show"]`),
		browser.Reads(secrets[2]),
	)
	b.do("hiding", browser.Click(`//button[text()="Hide now"]`), browser.Seen("textarea"))
	var kept string
	b.do("looking at what is kept", chromedp.Evaluate(
		`(async () => JSON.stringify([{...localStorage}, {...sessionStorage}, location.href, document.title, document.cookie,
		document.documentElement.outerHTML, history.state, await indexedDB.databases(), await caches.keys(),
		performance.getEntriesByType("resource").map((e) => e.name)]))()`,
		&kept,
		browser.Awaited,
	))
	require.Contains(t, kept, "SKL-TKT-001")

	// The command line: it waits for the operator's password while its arguments are looked at.
	home := t.TempDir()
	run := func(stdin io.Reader, args ...string) *exec.Cmd {
		cmd := exec.CommandContext(ctx, filepath.Join(binaries, "rankwarden"), args...)
		cmd.Env, cmd.Stdin = append(os.Environ(), "XDG_CONFIG_HOME="+home), stdin
		return cmd
	}
	out, err := run(
		stringReader(ownerPassword+"\n"),
		"sign-in",
		"--server",
		s.URL,
		"--name",
		"nightwatch",
		"--password-stdin",
	).CombinedOutput()
	require.NoError(t, err, string(out))
	require.NoError(t, change(t, s.config.Database, "update api_tokens set fresh_at = null"))
	typed, hand := io.Pipe()
	cmd := run(typed, "password", "show", "SKL-TKT-001", "--reason", "ticket 4713", "--print", "--password-stdin")
	var said bytes.Buffer
	cmd.Stdout = &said
	require.NoError(t, cmd.Start())
	arguments, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", cmd.Process.Pid))
	require.NoError(t, err)
	environment, err := os.ReadFile(fmt.Sprintf("/proc/%d/environ", cmd.Process.Pid))
	require.NoError(t, err)
	_, err = io.WriteString(hand, ownerPassword+"\n")
	require.NoError(t, err)
	hand.Close()
	require.NoError(t, cmd.Wait())
	assert.Contains(t, said.String(), secrets[2], "in front of who asked it is")

	// Whatever goes wrong says nothing either.
	ring, err := s.ring()
	require.NoError(t, err)
	deposits, err := s.db.With(ctx).DepositsOf(s.why("SKL-TKT-001").Device.ID, "account:mooring")
	require.NoError(t, err)
	_, err = ring.Open(deposits[0].About(1), deposits[1].Sealed)
	require.Error(t, err)
	broken := err.Error()
	require.NoError(t, change(
		t,
		s.config.Database,
		"update deposits set sealed = recovery_sealed where recovery_sealed is not null; update deposits "+
			"set account = 'S-1-5-21-9'",
	))
	_, err = support.Reveal(ctx, "SKL-TKT-001", api.RevealSpec{Reason: "ticket 4714"})
	require.Error(t, err, "moved to another account it does not open")
	broken += err.Error()

	private, err := ring.Bytes()
	require.NoError(t, err)
	secrets = append(secrets, strings.Split(strings.Split(string(private), `"private": "`)[1], `"`)[0])
	places := map[string]string{
		"logs":                          logs.String(),
		"what devices and service said": traces.String(),
		"the database":                  dump(t, s.config.Database),
		"the browser":                   kept,
		"arguments":                     string(arguments),
		"environment":                   string(environment),
		"errors":                        broken,
	}
	for _, dir := range []string{d.dir, home} {
		require.NoError(t, filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
			if err == nil && entry.Type().IsRegular() {
				data, readErr := os.ReadFile(path)
				places[path], err = string(data), readErr
			}
			return err
		}))
	}
	require.Contains(t, places["what devices and service said"], `"sealed"`)
	require.Contains(t, places["logs"], "settled")
	for place, text := range places {
		for i, secret := range secrets {
			for _, form := range []string{secret, hex.EncodeToString([]byte(secret)),
				base64.StdEncoding.EncodeToString([]byte(secret)),
				base64.RawURLEncoding.EncodeToString([]byte(secret))} {
				assert.False(t, strings.Contains(text, form), "secret %d is in %s", i, place)
			}
		}
	}
	assert.Equal(t, store.DepositCurrent, deposits[0].State)
}
