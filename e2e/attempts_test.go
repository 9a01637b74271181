package e2e

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Forty wrong passwords at once are compared no more often than one after the other, and keep nobody out
// who signed in from their own address before.
func TestManyWrongPasswordsAtOnce(t *testing.T) {
	s := start(t)
	s.clock.stop()
	signIn := func(c *http.Client, password string) int {
		resp, err := c.Post(
			s.URL+"/api/v1/session",
			"application/json",
			strings.NewReader(fmt.Sprintf(`{"name": "asta", "password": %q}`, password)),
		)
		require.NoError(t, err)
		defer resp.Body.Close()
		return resp.StatusCode
	}
	stranger := from(s, "127.0.0.9")
	compared := atOnce(40, func(int) error {
		if signIn(stranger, "not this one") == 401 {
			return nil
		}
		return errors.New("refused before it was compared")
	})
	assert.Equal(t, 5, compared)
	for i := range 30 { // from everywhere
		signIn(from(s, fmt.Sprintf("127.0.1.%d", i+1)), "not this one")
	}
	assert.Equal(
		t,
		429,
		signIn(from(s, "127.0.2.1"), ownerPassword),
		"the name is limited for addresses that are not known",
	)
	assert.Equal(t, 200, signIn(http.DefaultClient, ownerPassword), "and not for the owner's own")
}

// A name that strangers have had limited is not limited for who has the right code, from wherever.
func TestTheRightCodeGetsIn(t *testing.T) {
	s := start(t)
	secret, _ := s.factor(s.owner)
	right := s.code(secret)
	s.clock.stop()
	for i := range 40 {
		resp, err := from(s, fmt.Sprintf("127.0.1.%d", i+1)).Post(s.URL+"/api/v1/session", "application/json",
			strings.NewReader(`{"name": "asta", "password": "not this one"}`))
		require.NoError(t, err)
		resp.Body.Close()
	}
	enters := func(code string) int {
		resp, err := from(s, "127.0.2.2").Post(s.URL+"/api/v1/session", "application/json",
			strings.NewReader(fmt.Sprintf(`{"name": "asta", "password": %q, "code": %q}`, ownerPassword, code)))
		require.NoError(t, err)
		defer resp.Body.Close()
		return resp.StatusCode
	}
	assert.Equal(t, 429, enters("000000"), "a guess")
	assert.Equal(t, 200, enters(right))
}

// What strangers try is summed up by the minute: they can neither fill the trail nor hold it up.
func TestStrangersAreSummedUp(t *testing.T) {
	s := start(t)
	s.clock.stop()
	before, err := query[int64](t, s.config.Database, "select count(*) from audit_entries")
	require.NoError(t, err)
	stranger := from(s, "127.0.0.9")
	atOnce(100, func(i int) error {
		resp, err := stranger.Post(
			s.URL+"/api/v1/session",
			"application/json",
			strings.NewReader(fmt.Sprintf(`{"name": "nobody-%d", "password": "not this one"}`, i)),
		)
		if err == nil {
			resp.Body.Close()
		}
		return err
	})
	after, err := query[int64](t, s.config.Database, "select count(*) from audit_entries")
	require.NoError(t, err)
	assert.Equal(t, before, after)
	s.clock.forward(time.Minute)
	require.NoError(t, s.Strangers.Record(t.Context()))
	sum, err := query[string](
		t,
		s.config.Database,
		"select actor || ' ' || action || ' ' || sum((after->>'attempts')::int) || ' ' || count(*) from audit_entries "+
			"where outcome = 'refused' and actor = 'strangers' group by actor, action",
	)
	require.NoError(t, err)
	assert.Contains(
		t,
		[]string{"strangers session.opened 100 1", "strangers session.opened 100 2"},
		sum,
		"of one minute, or of two when it turned meanwhile",
	)
}

// Everything of who is not signed in is small, and streams are bounded.
func TestUnauthenticatedIsSmallAndBounded(t *testing.T) {
	s := start(t)
	big := strings.Repeat("x", 64<<10)
	for path, header := range map[string]http.Header{
		"/api/v1/session": {}, "/device/v1/enrol": {}, "/api/v1/policies": {},
		"/api/v1/directory/import": {"Cookie": {"rankwarden_session=nonsense"}}, "/": {},
	} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+path, strings.NewReader(big))
		require.NoError(t, err)
		req.Header = header
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err, path)
		resp.Body.Close()
		assert.Equal(t, 413, resp.StatusCode, path)
	}
	header := s.session("asta")
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	open := func() int {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.URL+"/api/v1/events", nil)
		require.NoError(t, err)
		req.Header = header.Clone()
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { resp.Body.Close() })
		return resp.StatusCode
	}
	for range 10 {
		assert.Equal(t, 200, open())
	}
	assert.Equal(t, 429, open())
}

// from gives a client whose requests come from another address of this machine.
func from(s *service, address string) *http.Client {
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	return &http.Client{
		Transport: &http.Transport{DialContext: func(ctx context.Context, network, to string) (net.Conn, error) {
			return dialer.DialContext(ctx, network, to)
		}},
	}
}
