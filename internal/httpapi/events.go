package httpapi

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/internal/store"
)

const (
	gather        = 300 * time.Millisecond // changes that come together are told together
	heartbeat     = 20 * time.Second       // and the session is looked at again
	maxNamed      = 500
	eventStreamID = "text/event-stream"
)

// events serves what changes, as server-sent events (HTML Living Standard, 9.2).
func (a *api) events(app *fiber.App) {
	a.huma.OpenAPI().AddOperation(&huma.Operation{
		Method: http.MethodGet, Path: Base + "/events", OperationID: "events", Tags: []string{"events"},
		Summary: "What changes, as server-sent events named \"change\"",
		Responses: map[string]*huma.Response{"200": {Description: "A stream", Content: map[string]*huma.MediaType{
			eventStreamID: {Schema: &huma.Schema{Type: huma.TypeString, Description: `Data of each event: {"topics": [...], "devices": [...]}`}}}}},
	})
	app.Get(Base+"/events", func(c fiber.Ctx) error {
		address, cookie, authorization := c.IP(), c.Cookies(cookieName), c.Get("Authorization")
		still := func() bool {
			ctx, cancel := context.WithTimeout(a.Done, 5*time.Second)
			defer cancel()
			var err error
			if authorization != "" {
				_, err = a.Service.ByToken(ctx, authorization[len("Bearer "):], address)
			} else {
				_, err = a.Service.BySession(ctx, cookie, address)
			}
			return err == nil
		}
		c.Set("Content-Type", eventStreamID)
		c.Set("X-Accel-Buffering", "no")
		return c.SendStreamWriter(func(w *bufio.Writer) { a.stream(w, still) })
	})
}

func (a *api) stream(w *bufio.Writer, still func() bool) {
	changes := a.Hub.Subscribe(store.TopicDevices, store.TopicReports, store.TopicEdits)
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
		case <-a.Done.Done():
			return
		case <-beat.C:
			if !still() || !send(": still here\n\n") {
				return
			}
		case <-changes.Ready:
			select {
			case <-a.Done.Done():
				return
			case <-time.After(gather):
			}
			data, err := json.Marshal(changeOf(changes.Take()))
			if err != nil || !send(fmt.Sprintf("event: change\ndata: %s\n\n", data)) {
				return
			}
		}
	}
}

func changeOf(taken map[string][]string) Change {
	change := Change{Topics: []string{}, Devices: []string{}}
	any := false
	for topic, ids := range taken {
		change.Topics = append(change.Topics, topic)
		if topic != store.TopicEdits {
			any = any || len(ids) == 0
			change.Devices = append(change.Devices, ids...)
		}
	}
	if any || len(change.Devices) > maxNamed {
		change.Devices = []string{}
	}
	return change
}
