package main

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/room/notify"
)

// The command knows every kind of event that the service takes, and no other.
func TestEventKinds(t *testing.T) {
	assert.Equal(t, notify.Kinds, eventKinds)
}
