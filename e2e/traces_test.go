package e2e

import (
	"compress/gzip"
	"io"
	"net/http"
	"net/http/httptest"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	"google.golang.org/protobuf/proto"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/app"
)

// Traces say what the service did, and nothing that people wrote: no name of a device, no reason, no secret. The
// service says for the whole process where traces go, so that this test runs alone.
func TestTraces(t *testing.T) {
	var mu sync.Mutex
	spans, raw := map[string]int{}, []byte{}
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body := io.Reader(r.Body)
		if r.Header.Get("Content-Encoding") == "gzip" {
			body, _ = gzip.NewReader(r.Body)
		}
		data, err := io.ReadAll(body)
		var request collector.ExportTraceServiceRequest
		if err == nil {
			err = proto.Unmarshal(data, &request)
		}
		mu.Lock()
		defer mu.Unlock()
		raw = append(raw, data...)
		for _, resource := range request.GetResourceSpans() {
			for _, scope := range resource.GetScopeSpans() {
				for _, span := range scope.GetSpans() {
					spans[span.GetName()]++
				}
			}
		}
		assert.NoError(t, err)
	}))
	defer web.Close()
	s := startAlone(t)
	s.stop()
	s.config.Traces = web.URL
	s.run()
	ctx := t.Context()
	s.publish("base", mooringOnly, 500, "everything")
	s.enrolled("SKL-HQ-001")
	secret := s.current("SKL-HQ-001")
	_, err := s.as("nightwatch", "support").Reveal(ctx, "SKL-HQ-001", api.RevealSpec{Reason: "ticket 4711 of Ragna"})
	require.NoError(t, err)
	_, err = s.owner.Devices(ctx, client.DeviceQuery{Search: "whereabouts"}, client.Page{})
	require.NoError(t, err)
	s.stop() // what is left is sent
	mu.Lock()
	defer mu.Unlock()
	for _, name := range []string{"GET /api/v1/devices", "POST /api/v1/devices/:name/reveal", "password.revealed",
		"settle"} {
		assert.Positive(t, spans[name], "%s of %v", name, spans)
	}
	for _, private := range []string{"SKL-HQ-001", "ticket 4711", "Ragna", "nightwatch", ownerPassword, secret,
		"whereabouts"} {
		assert.NotContains(t, string(raw), private)
	}
	broken := s.config
	broken.Traces = "somewhere"
	_, err = app.Start(ctx, broken, nil, nil)
	require.ErrorIs(t, err, app.ErrConfig)
}
