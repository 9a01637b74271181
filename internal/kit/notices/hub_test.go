package notices_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/kit/notices"
)

func TestHubGathersUntilTaken(t *testing.T) {
	var hub notices.Hub
	devices := hub.Subscribe("devices")
	all := hub.Subscribe("devices", "edits")
	for _, n := range []notices.Notice{{Topic: "devices", IDs: []string{"a", "b"}},
		{Topic: "devices", IDs: []string{"b"}}, {Topic: "edits"}} {
		hub.Publish(n) // never blocks, though nobody takes
	}
	<-devices.Ready
	assert.ElementsMatch(t, []string{"a", "b"}, devices.Drain()["devices"])
	assert.Empty(t, devices.Drain(), "each once")
	<-all.Ready
	assert.Len(t, all.Drain(), 2)

	all.Close()
	hub.Publish(notices.Notice{Topic: "edits"})
	assert.Empty(t, all.Drain())
	select {
	case <-devices.Ready:
		t.Error("a topic it does not listen to")
	default:
	}
}
