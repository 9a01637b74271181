package main

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/api"
)

func TestWhatWaitsAndWhatIsNext(t *testing.T) {
	for _, c := range []struct {
		d          api.Decision
		what, next string
	}{
		{api.Decision{Kind: "contested", Title: "lockout"}, "lockout is contested", "rankwarden held"},
		{api.Decision{Kind: "change", Title: "northwick", Object: "northwick"}, "northwick waits for approval",
			"rankwarden preview northwick"},
		{api.Decision{Kind: "brake", Title: "facts", Object: "01M8"}, "facts", "rankwarden brake show 01M8"},
		{api.Decision{Kind: "wave", Title: "wave 2", Object: "desks"}, "wave 2", "rankwarden rollout show desks"},
		{api.Decision{Kind: "claim", Title: "SKL-1", Device: "SKL-1"}, "SKL-1 waits for an owner",
			"rankwarden device show SKL-1"},
		{api.Decision{Kind: "restored", Title: "a backup"}, "a backup", ""},
	} {
		assert.Equal(t, c.what, whatWaits(c.d))
		assert.Equal(t, c.next, nextStep(c.d))
	}
}
