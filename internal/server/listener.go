package server

import (
	"net"
	"sync"
	"sync/atomic"
)

// listener remembers its connections, so that those on which nothing was ever asked can be closed
// when the service stops: the HTTP server would wait for them.
type listener struct {
	net.Listener
	mu    sync.Mutex
	conns map[*conn]struct{}
}

type conn struct {
	net.Conn
	from *listener
	used atomic.Bool
}

func remember(l net.Listener) *listener {
	return &listener{Listener: l, conns: map[*conn]struct{}{}}
}

// Accept implements [net.Listener].
func (l *listener) Accept() (net.Conn, error) {
	accepted, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	c := &conn{Conn: accepted, from: l}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.conns[c] = struct{}{}
	return c, nil
}

// Read implements [net.Conn].
func (c *conn) Read(p []byte) (int, error) {
	n, err := c.Conn.Read(p)
	if n > 0 {
		c.used.Store(true)
	}
	return n, err
}

// Close implements [net.Conn].
func (c *conn) Close() error {
	c.from.mu.Lock()
	delete(c.from.conns, c)
	c.from.mu.Unlock()
	return c.Conn.Close()
}

// closeUnused closes the connections on which nothing was ever asked.
func (l *listener) closeUnused() {
	l.mu.Lock()
	var unused []*conn
	for c := range l.conns {
		if !c.used.Load() {
			unused = append(unused, c)
		}
	}
	l.mu.Unlock()
	for _, c := range unused {
		_ = c.Close() // nothing was under way on it
	}
}
