package httpapi

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"syscall"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/httpconn"
	"rankwarden.example/internal/kit/supervise"
	"rankwarden.example/internal/store"
)

const (
	gather        = 300 * time.Millisecond // changes that come together are told together
	heartbeat     = 10 * time.Second       // and whoever listens is asked for again
	maxNamed      = 500
	eventStreamID = "text/event-stream"
)

// eventsRoutes serves what changes, as server-sent events (HTML Living Standard, 9.2).
func (a *routes) eventsRoutes() {
	a.raw(operation.Events, func(o *huma.Operation) {
		o.Responses = map[string]*huma.Response{"200": {Description: "A stream", Content: map[string]*huma.MediaType{
			eventStreamID: {Schema: &huma.Schema{
				Type: huma.TypeString, Description: `Data of each event: {"topics": [...], "devices": [...]}`,
			}},
		}}}
	}, a.sendEvents)
}

// sendEvents writes what the hub tells to a stream until either ends. It beats every ten seconds, so that
// whoever listens knows that it is alive and a proxy does not close it, and asks each time whether who listens is still
// signed in.
func (a *routes) sendEvents(c fiber.Ctx) error {
	who := identity(c.Context())
	if !a.streams.begin(who.OperatorID) {
		return problem.Send(
			c,
			problem.New(http.StatusTooManyRequests, "too many streams of changes are open; close some, and try again").
				Later(30*time.Second),
		)
	}
	again := a.credentials(c) // what identifies whoever listens, copied: the request is gone while the stream runs
	c.Set("Content-Type", eventStreamID)
	c.Set("X-Accel-Buffering", "no")
	c.RequestCtx().SetConnectionClose() // so that nothing else is read from the connection
	ctx, left := context.WithCancel(a.Done)
	if conn, ok := c.RequestCtx().Conn().(syscall.Conn); ok && conn != nil {
		unlimited := c.RequestCtx().Conn().SetReadDeadline(time.Time{})
		supervise.Go(a.Log, "whether somebody listens", func() {
			if unlimited == nil && httpconn.Gone(conn) {
				left()
			}
		})
	}
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer a.streams.end(who.OperatorID)
		defer left()
		defer supervise.Recover(a.Log, "a stream of changes")
		a.stream(ctx, w, who, again)
	})
}

// stream tells what changes until whoever listens goes, or may no longer.
func (a *routes) stream(ctx context.Context, w *bufio.Writer, who rights.Identity, again credentials) {
	changes := a.Hub.Subscribe(store.TopicDevices, store.TopicReports, store.TopicEdits, store.TopicGroups,
		store.TopicRollouts)
	defer changes.Close()
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	send := func(text string) bool {
		_, err := w.WriteString(text)
		return err == nil && w.Flush() == nil
	}
	if !send("retry: 2000\n\nevent: open\ndata: {}\n\n") {
		return
	}
	for {
		select {
		case <-ctx.Done():
			return
		case <-beat.C:
			asking, cancel := context.WithTimeout(ctx, 5*time.Second)
			now, err := a.identify(asking, again)
			cancel()
			if err != nil || !now.May(rights.Look) || !send("event: beat\ndata: {}\n\n") {
				return
			}
			who = now
		case <-changes.Ready:
			select {
			case <-ctx.Done():
				return
			case <-time.After(gather):
			}
			change, any := a.changeOf(who.Reach(rights.Look), changes.Drain())
			if !any {
				continue
			}
			data, err := json.Marshal(change)
			if err != nil || !send(fmt.Sprintf("event: change\ndata: %s\n\n", data)) {
				return
			}
		}
	}
}

// changeOf is what changed, as far as it is in reach; any is false when nothing of it is.
func (a *routes) changeOf(reach rights.Reach, taken map[string][]string) (change api.Notice, any bool) {
	change = api.Notice{Topics: []string{}, Devices: []string{}}
	all := false
	for topic, ids := range taken {
		if topic == store.TopicGroups {
			topic = store.TopicEdits
			ids = nil
		}
		if topic == store.TopicEdits || topic == store.TopicRollouts {
			change.Topics = append(change.Topics, topic)
			continue
		}
		seen := ids[:0:0]
		for _, id := range ids {
			if a.View.Has(reach, id) {
				seen = append(seen, id)
			}
		}
		if len(ids) > 0 && len(seen) == 0 {
			continue
		}
		change.Topics = append(change.Topics, topic)
		change.Devices = append(change.Devices, seen...)
		all = all || len(ids) == 0
	}
	if all || len(change.Devices) > maxNamed {
		change.Devices = []string{}
	}
	return change, len(change.Topics) > 0
}
