// Package notices spreads notices of changes within one process: from where they come in to whoever wants to know.
package notices

import (
	"context"
	"log/slog"
	"sync"
	"time"
)

// Notice says that something changed: a topic, and the identifiers of what changed. Without any, anything of the topic
// may have.
type Notice struct {
	Topic string   `json:"topic"`
	IDs   []string `json:"ids,omitempty"`
}

// Source is where notices come in. It hands each to receive until the context ends or it is interrupted, and calls
// ready once nothing can be missed any more.
type Source interface {
	Listen(ctx context.Context, ready func(), receive func(Notice)) error
}

// Hub hands notices on. The zero Hub is ready to use.
type Hub struct {
	mu          sync.Mutex
	subscribers map[*Subscription]struct{}
	relisten    context.CancelFunc // ends the connection that listens, nil while there is none
}

// Subscription receives the notices of some topics, gathered until they are taken.
type Subscription struct {
	Ready  chan struct{} // receives once whenever notices wait
	topics map[string]bool
	mu     sync.Mutex
	ids    map[string]map[string]bool
	hub    *Hub
}

// Subscribe begins to gather notices of the topics.
func (h *Hub) Subscribe(topics ...string) *Subscription {
	s := &Subscription{
		Ready:  make(chan struct{}, 1),
		topics: map[string]bool{},
		ids:    map[string]map[string]bool{},
		hub:    h,
	}
	for _, t := range topics {
		s.topics[t] = true
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.subscribers == nil {
		h.subscribers = map[*Subscription]struct{}{}
	}
	h.subscribers[s] = struct{}{}
	return s
}

// Close ends the subscription.
func (s *Subscription) Close() {
	s.hub.mu.Lock()
	defer s.hub.mu.Unlock()
	delete(s.hub.subscribers, s)
}

// Drain gives what was gathered since the last call: identifiers by topic.
func (s *Subscription) Drain() map[string][]string {
	s.mu.Lock()
	defer s.mu.Unlock()
	taken := map[string][]string{}
	for topic, ids := range s.ids {
		taken[topic] = []string{}
		for id := range ids {
			taken[topic] = append(taken[topic], id)
		}
	}
	clear(s.ids)
	return taken
}

// Publish hands a notice to every subscription of its topic. It never blocks.
func (h *Hub) Publish(n Notice) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for s := range h.subscribers {
		if s.topics[n.Topic] {
			s.add(n)
		}
	}
}

func (s *Subscription) add(n Notice) {
	s.mu.Lock()
	if s.ids[n.Topic] == nil {
		s.ids[n.Topic] = map[string]bool{}
	}
	for _, id := range n.IDs {
		s.ids[n.Topic][id] = true
	}
	s.mu.Unlock()
	select {
	case s.Ready <- struct{}{}:
	default:
	}
}

// Relisten lets go of the connection that listens, and takes another one: the database is not the one of before.
func (h *Hub) Relisten() {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.relisten != nil {
		h.relisten()
	}
}

// Run listens to a source until the context ends. Whenever it was interrupted it listens again, and publishes every
// topic without identifiers: anything may have changed.
func (h *Hub) Run(ctx context.Context, source Source, topics []string, log *slog.Logger) {
	const retry = time.Second
	everything := func() {
		for _, topic := range topics {
			h.Publish(Notice{Topic: topic})
		}
	}
	for ctx.Err() == nil {
		listening, end := context.WithCancel(ctx)
		h.mu.Lock()
		h.relisten = end
		h.mu.Unlock()
		err := source.Listen(listening, everything, h.Publish)
		end()
		if ctx.Err() != nil {
			return
		}
		log.Warn("notices were interrupted", "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(retry):
		}
	}
}
