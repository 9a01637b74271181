package operation

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/rights"
)

func TestADeclarationSaysEverything(t *testing.T) {
	whole := Operation{ID: "light-lamp", Method: post, Path: "/lamps/{name}", Summary: "Light a lamp",
		Right:  rights.Deploy,
		Action: "lamp.lit", Budget: Small}
	assert.NoError(t, whole.check())
	for lacks, alter := range map[string]func(o *Operation){
		"identifier":  func(o *Operation) { o.ID = "" },
		"which right": func(o *Operation) { o.Right = "" },
		"trail":       func(o *Operation) { o.Action = "" },
		"budget":      func(o *Operation) { o.Budget = Budget{} },
		"path":        func(o *Operation) { o.Path = "lamps" },
	} {
		o := whole
		alter(&o)
		assert.ErrorContains(t, o.check(), lacks)
		assert.Panics(t, func() { declare(o) })
	}
	reads := whole
	reads.Action, reads.Reads = "", true
	assert.NoError(t, reads.check(), "what changes nothing is not on the trail")
}

func TestNothingIsDeclaredTwice(t *testing.T) {
	assert.Panics(t, func() { declare(*SignIn) })
	again := *SignIn
	again.ID = "sign-in-once-more"
	assert.Panics(t, func() { declare(again) }, "another name for the same method and path")
	assert.Greater(t, len(All()), 130)
}

func TestNames(t *testing.T) {
	assert.Equal(t, "policy.published", PublishPolicy.Name())
	assert.Equal(t, "list-trail", ListTrail.Name())
	assert.True(t, PublishPolicy.Changes())
	assert.False(t, CheckPolicy.Changes())
	assert.False(t, ListTrail.Changes())
}

func TestURLs(t *testing.T) {
	for _, c := range []struct {
		operation *Operation
		parts     []string
		want      string
	}{
		{ListTrail, nil, "/api/v1/trail"},
		{ShowGroup, []string{"north-pier"}, "/api/v1/groups/north-pier"},
		{ShowGroup, []string{"a/../b?c d"}, "/api/v1/groups/a%2F..%2Fb%3Fc%20d"},
		{TrailEntry, []string{"7"}, "/api/v1/trail/entries/7"},
	} {
		assert.Equal(t, c.want, c.operation.URL(c.parts...))
	}
	assert.Panics(t, func() { ShowGroup.URL("a", "b") })
	assert.Panics(t, func() { ShowGroup.URL() })
}
