package client_test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func serve(t *testing.T, handle http.HandlerFunc) *client.Client {
	server := httptest.NewServer(handle)
	t.Cleanup(server.Close)
	return client.New(server.URL+"/", "rwt_secret")
}

func TestProblemsSayEverything(t *testing.T) {
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer rwt_secret", r.Header.Get("Authorization"))
		assert.Equal(t, `"7"`, r.Header.Get("If-Match"))
		assert.Equal(t, "/api/v1/policies/a%2Fb", r.URL.EscapedPath())
		w.WriteHeader(http.StatusUnprocessableEntity)
		_, _ = io.WriteString(
			w,
			`{"status": 422, "detail": "it cannot be used", "code": "policy_unusable", "errors": [{"location": "body.source", "message": "too short"}],
			"problems": [{"path": "lockout", "line": 3, "column": 9, "severity": "error", "code": "wrong_type", "message": "a list stands here"}]}`,
		)
	})
	_, err := c.SavePolicy(t.Context(), "a/b", "x", 7)
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "policy_unusable", p.Code)
	assert.EqualError(
		t,
		err,
		"it cannot be used\n  body.source: too short\n  3:9: error: lockout: a list stands here [wrong_type]",
	)
	assert.NotContains(t, err.Error(), "rwt_secret")
}

func TestAnswersThatAreNotTheServices(t *testing.T) {
	c := serve(t, func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(http.StatusBadGateway)
		_, _ = io.WriteString(w, "<html>")
	})
	_, err := c.Me(t.Context())
	assert.ErrorContains(t, err, "502 Bad Gateway; is this its address?")
	c = serve(t, func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "<html>") })
	_, err = c.Me(t.Context())
	assert.ErrorContains(t, err, "cannot be read")
	_, err = client.New("http://127.0.0.1:1", "").Me(t.Context())
	assert.ErrorIs(t, err, client.ErrUnreachable)
	stopped, stop := context.WithCancel(t.Context())
	stop()
	_, err = c.Me(stopped)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestAllReadsEveryPage(t *testing.T) {
	asked := []string{}
	c := serve(t, func(w http.ResponseWriter, r *http.Request) {
		asked = append(asked, r.URL.RawQuery)
		next := map[string]string{"": "one", "one": "two"}[r.URL.Query().Get("cursor")]
		fmt.Fprintf(w, `{"items": [{"name": "a%d"}, {"name": "b%d"}], "next": %q}`, len(asked), len(asked), next)
	})
	read := func(p client.Page) (client.List[api.GroupSummary], error) {
		return c.Groups(t.Context(), "sea & shore", p)
	}
	items, err := client.All(0, read)
	require.NoError(t, err)
	assert.Len(t, items, 6)
	assert.Equal(
		t,
		[]string{
			"limit=500&search=sea+%26+shore",
			"cursor=one&limit=500&search=sea+%26+shore",
			"cursor=two&limit=500&search=sea+%26+shore",
		},
		asked,
	)
	items, err = client.All(3, read)
	require.NoError(t, err)
	assert.Len(t, items, 4, "whole pages, until there are enough")
}

func TestChangesUntilTheStreamBreaksOff(t *testing.T) {
	c := serve(t, func(w http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(
			w,
			"retry: 1\n\nevent: open\ndata: {}\n\nevent: beat\ndata: {}\n\n"+
				"event: change\ndata: {\"topics\": [\"edits\"], "+
				"\"devices\": []}\n\n",
		)
	})
	var seen []api.Notice
	err := c.Notices(t.Context(), func(change api.Notice) { seen = append(seen, change) })
	assert.ErrorIs(t, err, client.ErrUnreachable)
	assert.Equal(t, []api.Notice{{}, {Topics: []string{"edits"}, Devices: []string{}}}, seen)
}

func TestAllReported(t *testing.T) {
	fine := api.Overview{Devices: 5, Online: 3, OnlineReported: 3, OnlineVerified: 2}
	assert.True(t, fine.AllReported(), "who is silent is not waited for, nor what drifted")
	for _, change := range []func(o *api.Overview){
		func(o *api.Overview) { o.Unsettled = 1 }, func(o *api.Overview) { o.OnlineReported = 2 },
		func(o *api.Overview) { o.Online, o.OnlineReported = 0, 0 },
	} {
		o := fine
		change(&o)
		assert.False(t, o.AllReported())
	}
}
