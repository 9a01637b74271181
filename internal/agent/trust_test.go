package agent_test

import (
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

var now = time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)

// impostor is a service that can be told to answer as somebody in between would.
type impostor struct {
	t       *testing.T
	dir     string // of the agent's state
	ring    keyring.Ring
	desired protocol.DesiredState
	signer  protocol.Key // of desired states
	answers protocol.Key // of answers
	replay  string       // an earlier answer, sent again
	last    string
	reports []drift.Report
}

func (s *impostor) sign(key protocol.Key, answers string, body any) string {
	document, err := protocol.Sign(
		key,
		protocol.Header{KeyID: s.ring.Signing.ID, URL: protocol.PathKeys, Time: time.Now(), Answers: answers},
		body,
		false,
	)
	require.NoError(s.t, err)
	return document
}

func (s *impostor) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, err := io.ReadAll(r.Body)
	require.NoError(s.t, err)
	answers := protocol.Digest(body)
	switch r.URL.Path {
	case protocol.PathKeys:
		list, err := s.ring.SignList("Skerry Line", 1, 1, nil, time.Now())
		require.NoError(s.t, err)
		require.NoError(
			s.t,
			json.NewEncoder(w).
				Encode(protocol.Keys{KeyList: list,
					Time: s.sign(s.ring.Signing, "", protocol.ServiceTime{Time: time.Now()})}),
		)
	case protocol.PathEnrol:
		_, _ = io.WriteString(
			w,
			s.sign(s.ring.Signing, answers, protocol.EnrolAnswer{Device: "01DEVICE", Accepted: true, Interval: 60}),
		)
	case protocol.PathCheckIn:
		signed, err := protocol.Parse(string(body))
		require.NoError(s.t, err)
		var sent protocol.CheckIn
		payload, err := signed.Verify(s.deviceKey())
		require.NoError(s.t, err)
		require.NoError(s.t, json.Unmarshal(payload, &sent))
		answer := protocol.Answer{Time: time.Now(), Interval: 60, Accepted: true}
		if sent.Report != nil {
			s.reports = append(s.reports, *sent.Report)
			answer.Stored = sent.Report.Seq
		}
		if s.desired.Number > 0 {
			answer.Desired = s.sign(s.signer, "", s.desired)
		}
		if s.replay != "" {
			_, _ = io.WriteString(w, s.replay)
			return
		}
		s.last = s.sign(s.answers, answers, answer)
		_, _ = io.WriteString(w, s.last)
	}
}

// deviceKey reads the device's key from what it keeps; the service would know it from enrolment.
func (s *impostor) deviceKey() []byte {
	data, err := os.ReadFile(filepath.Join(s.dir, "agent.json"))
	require.NoError(s.t, err)
	var kept struct{ Key []byte }
	require.NoError(s.t, json.Unmarshal(data, &kept))
	return kept.Key[32:]
}

func TestAgentBelievesOnlyItsService(t *testing.T) {
	ring := keyring.Ring{}
	var err error
	ring.Root, err = protocol.NewKey()
	require.NoError(t, err)
	ring.Signing, err = protocol.NewKey()
	require.NoError(t, err)
	other, err := protocol.NewKey()
	require.NoError(t, err)
	forged := protocol.Key{ID: ring.Signing.ID, Private: other.Private} // says it is the service's
	dir := t.TempDir()
	s := &impostor{t: t, dir: dir, ring: ring, signer: ring.Signing, answers: ring.Signing}
	web := httptest.NewServer(s)
	defer web.Close()
	w := simulated.Boot(
		simulated.Factory(
			protocol.Facts{Name: "SKL-WKS-001", Platform: "windows"},
			principal.MustSID("S-1-5-21-7-8-9"),
			now,
		),
		func() time.Time { return now },
	)
	a, err := agent.New(agent.Options{
		Host:    w,
		Service: web.URL,
		Token:   protocol.Token{ID: "t", Secret: "s", RootFingerprint: ring.Root.ID}.String(),
		Dir:     dir,
		HTTP:    web.Client(),
		Clock:   agent.SystemClock{},
		Log:     slog.New(slog.DiscardHandler),
	})
	require.NoError(t, err)
	require.NoError(t, a.Cycle(t.Context()))
	assert.Empty(t, s.reports, "nothing is asked of it yet")

	minimum := func() int {
		state, err := w.Read(t.Context())
		require.NoError(t, err)
		return *state.Passwords.MinLength
	}
	asks := func(device string, number int64, length int) protocol.DesiredState {
		return protocol.DesiredState{
			Format: protocol.DesiredFormat,
			Device: device,
			Name:   "SKL-WKS-001",
			Epoch:  1,
			Number: number,
			DesiredContent: protocol.DesiredContent{
				Settings: []unit.Setting{{Unit: unit.MinLength, Value: unit.Int(length)}},
			},
		}
	}
	s.desired = asks("01DEVICE", 5, 12)
	require.Error(t, a.Cycle(t.Context()), "sent again, the same desired state is not newer")
	assert.Equal(t, 12, minimum())
	early := s.last

	for says, c := range map[string]struct {
		desired protocol.DesiredState
		signer  protocol.Key
		answers protocol.Key
		replay  string
	}{
		"not newer":           {asks("01DEVICE", 4, 1), ring.Signing, ring.Signing, ""},
		"another device's":    {asks("01OTHER", 9, 1), ring.Signing, ring.Signing, ""},
		"signature":           {asks("01DEVICE", 9, 1), forged, ring.Signing, ""},
		"somebody may stand":  {asks("01DEVICE", 9, 1), ring.Signing, forged, ""},
		"not on the key list": {asks("01DEVICE", 9, 1), other, ring.Signing, ""},
		"not one of the":      {asks("01DEVICE", 9, 1), ring.Signing, ring.Signing, early},
		"has the format": {protocol.DesiredState{Format: "other/1", Device: "01DEVICE", Epoch: 1, Number: 9},
			ring.Signing, ring.Signing, ""},
	} {
		s.desired, s.signer, s.answers, s.replay = c.desired, c.signer, c.answers, c.replay
		err := a.Cycle(t.Context())
		require.ErrorIs(t, err, agent.ErrAnswer, says)
		assert.ErrorContains(t, err, says)
		assert.Equal(t, 12, minimum(), "it does nothing of what it does not believe: %s", says)
	}

	s.desired, s.signer, s.answers, s.replay = asks("01DEVICE", 9, 14), ring.Signing, ring.Signing, ""
	require.Error(t, a.Cycle(t.Context()))
	assert.Equal(t, 14, minimum())
	last := s.reports[len(s.reports)-1]
	assert.EqualValues(t, 9, last.Desired.Number)
	assert.True(t, strings.HasPrefix(last.Desired.Digest, "sha-256:"))
	for i := 1; i < len(s.reports); i++ {
		assert.GreaterOrEqual(t, s.reports[i].Seq, s.reports[i-1].Seq)
	}
}

func TestAgentSaysWhatIsWrongWithItsState(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "agent.json"), []byte("{"), 0o600))
	_, err := agent.New(agent.Options{Dir: dir})
	assert.ErrorContains(t, err, "move it away to enrol anew")
}
