package e2e

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/netip"
	"net/url"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/room/notify"
)

// inTurns is a proxy as the guide describes it: each request goes to the next replica that says it is ready.
func inTurns(t *testing.T, replicas ...*service) (address string, served []*atomic.Int64) {
	var turn atomic.Int64
	var proxies []*httputil.ReverseProxy
	for _, r := range replicas {
		to, err := url.Parse(r.URL)
		require.NoError(t, err)
		proxies = append(proxies, &httputil.ReverseProxy{FlushInterval: -1, Rewrite: func(p *httputil.ProxyRequest) {
			p.SetURL(to)
			p.Out.Host = p.In.Host
			p.SetXForwarded()
		}})
		served = append(served, &atomic.Int64{})
	}
	urls := make([]string, len(replicas))
	for i, r := range replicas {
		urls[i] = r.URL
	}
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for range replicas {
			i := int(turn.Add(1)) % len(replicas)
			ready, err := http.Get(urls[i] + "/readyz")
			if err != nil {
				continue
			}
			ready.Body.Close()
			if ready.StatusCode == http.StatusOK {
				served[i].Add(1)
				proxies[i].ServeHTTP(w, r)
				return
			}
		}
		w.WriteHeader(http.StatusBadGateway)
	}))
	t.Cleanup(web.Close)
	return web.URL, served
}

// Two replicas behind one address are one service: sessions, held requests and edits are those of both, nothing is told
// twice, and one can go at any time.
func TestTwoReplicasBehindOneAddress(t *testing.T) {
	here := start(t)
	ctx := t.Context()
	here.stop()
	here.config.NotifyNetworks = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}
	here.config.Proxies = []string{"127.0.0.1"}
	here.run()
	there := here.replica()
	address, served := inTurns(t, here, there)
	own := here.URL
	here.URL = address // devices too come this way
	here.owner = client.New(address, "").Look(hasLooked)
	_, err := here.owner.SignIn(ctx, "asta", ownerPassword)
	require.NoError(t, err)
	desk := here.webhook("desk", notify.PasswordViewed)
	here.publish("base", mooringOnly, 500, "everything")
	d := here.enrolled("SKL-HQ-001")
	living, leave := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() { ended <- d.Run(living) }()
	support := here.as("nightwatch", "support")
	for range 4 {
		_, err = support.Reveal(ctx, "SKL-HQ-001", api.RevealSpec{Reason: "ticket 4711"})
		require.NoError(t, err)
	}
	assert.Positive(t, served[0].Load())
	assert.Positive(t, served[1].Load())

	// One of them goes, with whatever is under way at it.
	there.stop()
	p, err := here.owner.Policy(ctx, "base")
	require.NoError(t, err)
	p, err = here.owner.SavePolicy(ctx, "base",
		document("base", mooringOnly+"\nlockout: {threshold: 7, duration: 15m, window: 15m}"), p.Version)
	require.NoError(t, err)
	_, err = here.owner.PublishPolicy(ctx, "base", p.Version)
	require.NoError(t, err)
	here.until(func() bool { return here.why("SKL-HQ-001").Device.Reported == 2 })
	leave()
	require.NoError(t, <-ended)
	here.eventually(func() bool { return len(desk.Events()) == 4 }, "each view was told")
	seen := map[string]bool{}
	for _, e := range desk.Events() {
		seen[e.ID] = true
	}
	assert.Len(t, seen, 4, "and none twice")
	entries, err := here.owner.Trail(ctx, client.TrailQuery{Action: "password"}, client.Page{})
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1", entries.Items[0].Address)
	here.URL = own
}
