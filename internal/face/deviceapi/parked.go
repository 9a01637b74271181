package deviceapi

import (
	"context"
	"fmt"
	"net"
	"sync"
	"syscall"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/kit/httpconn"
	"rankwarden.example/internal/kit/supervise"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/protocol"
)

// parkable is a connection whose request is parked: the HTTP server has let go of it, with all its buffers, and
// takes it back once the request is answered. So a parked request costs little more than its connection.
type parkable interface {
	net.Conn
	SyscallConn() (syscall.RawConn, error)
	Return()
}

// waiter is one parked request.
type waiter struct {
	holds drift.Stamp
	order int64 // the latest that the device has begun
	// called says that it is answered in its turn, and counted that it is among those that a stop waits for; they
	// belong to the registry.
	called, counted bool

	mu    sync.Mutex
	conn  parkable // nil before the HTTP server let go of it
	ready bool     // something is waiting, or another request took its place
	ended bool     // the service stops
}

// past is a deadline that is over.
var past = time.Unix(1, 0)

// wake has the request answered now.
func (w *waiter) wake(ready bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.ready, w.ended = w.ready || ready, w.ended || !ready
	if w.conn != nil {
		_ = w.conn.SetReadDeadline(past) // the connection is gone otherwise
	}
}

// arm begins to wait on a connection, at most until a time.
func (w *waiter) arm(conn parkable, limit time.Time) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.conn = conn
	if w.ready || w.ended {
		limit = past
	}
	return conn.SetReadDeadline(limit)
}

func (w *waiter) outcome() (ready, ended bool) {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.ready, w.ended
}

// park waits on a connection until something is waiting for the device, time is up, or the device is
// gone, and answers. It returns at once.
func (a *API) park(conn parkable, device, request string, w *waiter, limit time.Time) {
	supervise.Go(a.Log, "a parked request", func() {
		defer a.registry.release(device, w)
		if err := w.arm(conn, limit); err != nil || httpconn.Gone(conn) {
			_ = conn.Close() // nobody is there any more
			return
		}
		ready, ended := w.outcome()
		answer, err := a.sign(request, a.waitAnswer(device, w.holds, ready))
		if err != nil {
			a.Log.Error("a parked request could not be answered", "error", err)
			_ = conn.Close()
			return
		}
		head := "HTTP/1.1 200 OK\r\nContent-Type: " + protocol.ContentType + "\r\nCache-Control: no-store\r\n"
		if ended {
			head += "Connection: close\r\n"
		}
		_ = conn.SetWriteDeadline(time.Now().Add(writeTimeout)) // an error shows when it is written
		_, err = fmt.Fprintf(conn, "%sContent-Length: %d\r\n\r\n%s", head, len(answer), answer)
		if err != nil || ended {
			_ = conn.Close()
			return
		}
		if err := conn.SetDeadline(time.Time{}); err != nil {
			_ = conn.Close()
			return
		}
		conn.Return()
	})
}

// Leave answers every parked request, since the service stops, and waits until all answers are on their way or
// the context ends.
func (a *API) Leave(ctx context.Context) error {
	select {
	case <-a.registry.end():
		return nil
	case <-ctx.Done():
		return fmt.Errorf("answering the parked requests: %w", ctx.Err())
	}
}

// waitAnswer brings the desired state that waits for a device, where it is that. What cannot be read now comes with the
// check-in.
func (a *API) waitAnswer(device string, holds drift.Stamp, ready bool) protocol.WaitAnswer {
	answer := protocol.WaitAnswer{Time: a.Now(), Ready: ready}
	if !ready || !a.registry.hasNewer(device, holds) {
		return answer
	}
	ctx, cancel := context.WithTimeout(store.ForDevices(a.Done), requestTimeout)
	defer cancel()
	document, _, err := a.Devices.SignedDesired(ctx, device)
	if err != nil {
		a.Log.Warn("a desired state did not go with the answer to a parked request", "error", err)
		return answer
	}
	answer.Desired = document
	return answer
}

// writeTimeout is how long an answer to a parked request may take to leave.
const writeTimeout = 10 * time.Second
