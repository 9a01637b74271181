package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/protocol"
)

// packed is a text packed twice.
func packed(t *testing.T, text []byte) []byte {
	for range 2 {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, err := w.Write(text)
		require.NoError(t, err)
		require.NoError(t, w.Close())
		text = b.Bytes()
	}
	return text
}

// A few hundred bytes must not become a gigabyte before anybody knows who sent them: no body is taken in a content
// encoding, at either face, by anybody.
func TestNoBodyComesInAContentEncoding(t *testing.T) {
	s := start(t)
	session := s.session("asta")
	bomb := packed(t, make([]byte, 8<<20))
	require.Less(t, len(bomb), 1000)
	for _, path := range []string{"/api/v1/session", "/api/v1/policies", "/api/v1/directory/import",
		"/api/v1/device-grants", protocol.PathEnrol, protocol.PathCheckIn, protocol.PathDeposit} {
		for _, encodings := range [][]string{{"gzip"}, {"gzip, gzip"}, {"gzip", "gzip"}, {"br"}, {"deflate"},
			{"identity"},
			{"", "gzip"}, {"GZIP"}} {
			req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+path, bytes.NewReader(bomb))
			require.NoError(t, err)
			req.Header = session.Clone()
			req.Header.Set("Content-Type", "application/json")
			req.Header["Content-Encoding"] = encodings
			resp, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			said, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			assert.Equal(t, http.StatusUnsupportedMediaType, resp.StatusCode, "%s %q: %s", path, encodings, said)
			assert.Contains(t, string(said), "without Content-Encoding")
		}
	}
}

// Behind a trusted proxy an attempt counts for the address that the proxy took it from, and not for what the client
// wrote before.
func TestAGuessCountsForTheAddressItCameFrom(t *testing.T) {
	s := start(t)
	s.stop()
	s.config.Proxies = []string{"127.0.0.1"}
	s.run()
	guess := func(name string, forwarded ...string) int {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+"/api/v1/session",
			strings.NewReader(fmt.Sprintf(`{"name": %q, "password": "not this one"}`, name)))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header["X-Forwarded-For"] = forwarded
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		return resp.StatusCode
	}
	stopped := 0
	for i := range 60 {
		invented := fmt.Sprintf("198.51.100.%d", i)
		headers := [][]string{{invented + ", 203.0.113.9"}, {invented, "203.0.113.9"},
			{invented + ",203.0.113.9,127.0.0.1"}}
		if guess(fmt.Sprintf("nobody-%d", i), headers[i%3]...) == http.StatusTooManyRequests {
			stopped++
		}
	}
	assert.Positive(t, stopped, "sixty guesses of one address")
	seen, err := query[string](t, s.config.Database, "select string_agg(distinct address, ' ') from stranger_attempts")
	require.NoError(t, err)
	assert.Equal(t, "203.0.113.9", seen)
	assert.Equal(t, http.StatusUnauthorized, guess("nobody", "198.51.100.1, 203.0.113.10"), "another address guesses")
}

// What could be read in two ways is read in none, on both faces.
func TestDocumentsAreReadInOneWay(t *testing.T) {
	s := start(t)
	session := s.session("asta")
	stranger, enrolled := s.stranger(), s.joined("SKL-X")
	deep := strings.Repeat(`{"a":`, 40) + "1" + strings.Repeat("}", 40)
	for document, says := range map[string]string{
		`{"name": "a", "name": "b"}`:           "is there twice",
		`{"Name": "a"}`:                        "nothing was stored",
		`{"held": 1, "held": 2, "nonce": "n"}`: "is there twice",
		`{"held": 1, "nonce": "n", "more": 1}`: "more",
		`{"HELD": 1, "nonce": "n"}`:            "HELD",
		`{"held": 1e400, "nonce": "n"}`:        "held",
		deep:                                   "nested more than 32 deep",
	} {
		for _, path := range []string{"/api/v1/groups", "/api/v1/operators", "/api/v1/session"} {
			body := strings.NewReader(document)
			req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, s.URL+path, body)
			require.NoError(t, err)
			req.Header = session.Clone()
			req.Header.Set("Content-Type", "application/json")
			resp, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			said, err := io.ReadAll(resp.Body)
			require.NoError(t, err)
			resp.Body.Close()
			assert.Contains(t, []int{400, 422}, resp.StatusCode, "%s %s: %s", path, document, said)
			assert.Contains(t, string(said), says, document)
		}
		status, detail := enrolled(protocol.PathEpoch, json.RawMessage(document), false)
		assert.Equal(t, 422, status, document)
		assert.Contains(t, detail, "cannot be read", document)
		status, _ = stranger(protocol.PathEnrol, json.RawMessage(document), true)
		assert.Equal(t, 422, status, document)
	}
	status, detail := enrolled(protocol.PathEpoch, json.RawMessage(`{"held": 1, "nonce": "n"}`), false)
	assert.Equal(t, 200, status, detail)
	groups, err := query[int64](t, s.config.Database, "select count(*) from groups")
	require.NoError(t, err)
	assert.Zero(t, groups)
}

// posting sends documents that a key signed.
type posting func(path string, body any, embed bool) (status int, detail string)

// stranger sends documents as a device that nobody knows.
func (s *service) stranger() posting {
	key, err := protocol.NewKey()
	require.NoError(s.t, err)
	return s.signs(key.ID, key)
}

// signs sends documents under the name of a device.
func (s *service) signs(id string, key protocol.Key) posting {
	return func(path string, body any, embed bool) (int, string) {
		document, err := protocol.Sign(protocol.Key{ID: id, Private: key.Private},
			protocol.Header{KeyID: id, URL: path, Time: s.clock.now()}, body, embed)
		require.NoError(s.t, err)
		status, _, detail := s.posted(path, document)
		return status, detail
	}
}

// joined enrols a device of which nothing is there but its key.
func (s *service) joined(name string) posting {
	key, err := protocol.NewKey()
	require.NoError(s.t, err)
	parts, err := protocol.ParseToken(s.enrolmentToken(1))
	require.NoError(s.t, err)
	status, detail := s.signs(key.ID, key)(protocol.PathEnrol, protocol.EnrolRequest{TokenID: parts.ID,
		Secret: parts.Secret, Facts: protocol.Facts{Name: name, Platform: "windows"}}, true)
	require.Equal(s.t, 200, status, detail)
	return s.signs(s.why(name).Device.ID, key)
}

// A device may say that it comes back with any epoch, and not with one after which there is none.
func TestAnEpochHasABound(t *testing.T) {
	s := start(t)
	post := s.joined("SKL-X")
	for i, c := range []struct {
		held int64
		want int
	}{{math.MaxInt64, 422}, {math.MaxInt64 - 1, 422}, {protocol.MaxEpoch + 1, 422}, {-1, 422}, {7, 200},
		{protocol.MaxEpoch, 200}} {
		request := protocol.EpochRequest{Held: c.held, Nonce: fmt.Sprint("n", i)}
		status, detail := post(protocol.PathEpoch, request, false)
		assert.Equal(t, c.want, status, "%d: %s", c.held, detail)
	}
	epoch, err := query[int64](t, s.config.Database, "select epoch from devices")
	require.NoError(t, err)
	assert.EqualValues(t, protocol.MaxEpoch+1, epoch)
}
