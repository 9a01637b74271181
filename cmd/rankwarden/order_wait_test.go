package main

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/api"
)

func TestAnOrderSaysThatItWaitsForSilentDevices(t *testing.T) {
	assert.Empty(t, waitsForSilent(api.OrderProgress{Given: 3}))
	assert.Equal(t, "; 1 device is silent, and it waits until they are heard from",
		waitsForSilent(api.OrderProgress{Given: 3, Silent: 1}))
	assert.Contains(t, waitsForSilent(api.OrderProgress{Given: 3, Silent: 2}), "2 devices are silent")
}
