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
	assert.ElementsMatch(t, []string{"a", "b"}, devices.Take()["devices"])
	assert.Empty(t, devices.Take(), "each once")
	<-all.Ready
	assert.Len(t, all.Take(), 2)

	all.Close()
	hub.Publish(notices.Notice{Topic: "edits"})
	assert.Empty(t, all.Take())
	select {
	case <-devices.Ready:
		t.Error("a topic it does not listen to")
	default:
	}
}
