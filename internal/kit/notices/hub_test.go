package notices_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
)

func TestHubGathersUntilTaken(t *testing.T) {
	var hub notices.Hub
	devices := hub.Subscribe(store.TopicDevices)
	all := hub.Subscribe(store.TopicDevices, store.TopicEdits)
	for _, n := range []store.Notice{{Topic: store.TopicDevices, IDs: []string{"a", "b"}}, {Topic: store.TopicDevices, IDs: []string{"b"}}, {Topic: store.TopicEdits}} {
		hub.Publish(n) // never blocks, though nobody takes
	}
	<-devices.Ready
	assert.ElementsMatch(t, []string{"a", "b"}, devices.Take()[store.TopicDevices])
	assert.Empty(t, devices.Take(), "each once")
	<-all.Ready
	assert.Len(t, all.Take(), 2)

	all.Close()
	hub.Publish(store.Notice{Topic: store.TopicEdits})
	assert.Empty(t, all.Take())
	select {
	case <-devices.Ready:
		t.Error("a topic it does not listen to")
	default:
	}
}
