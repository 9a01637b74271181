package app

import (
	"crypto/tls"
	"errors"
	"io"
	"net"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
)

// listener remembers its connections, so that those on which nothing was ever asked can be closed
// when the service stops: the HTTP server would wait for them. A connection that a handler took over can
// be returned: then the HTTP server accepts it again.
type listener struct {
	net.Listener
	mu       sync.Mutex
	conns    map[*conn]struct{}
	accepted chan accepted
	closed   chan struct{}
	close    func() error
}

type accepted struct {
	conn net.Conn
	err  error
}

type conn struct {
	net.Conn
	from *listener
	used atomic.Bool
}

func remember(l net.Listener) *listener {
	r := &listener{Listener: l, conns: map[*conn]struct{}{}, accepted: make(chan accepted), closed: make(chan struct{})}
	r.close = sync.OnceValue(func() error {
		close(r.closed)
		return l.Close()
	})
	go r.accept()
	return r
}

// accept hands on what the network brings, until the listener is closed.
func (l *listener) accept() {
	for {
		next, err := l.Listener.Accept()
		select {
		case l.accepted <- accepted{next, err}:
		case <-l.closed:
			if err == nil {
				_ = next.Close() // nobody takes it any more
			}
			return
		}
		if errors.Is(err, net.ErrClosed) {
			return
		}
	}
}

// Accept implements [net.Listener].
func (l *listener) Accept() (net.Conn, error) {
	select {
	case next := <-l.accepted:
		if next.err != nil {
			return nil, next.err
		}
		if back, returned := next.conn.(*conn); returned {
			return back, nil
		}
		c := &conn{Conn: next.conn, from: l}
		l.mu.Lock()
		defer l.mu.Unlock()
		l.conns[c] = struct{}{}
		return c, nil
	case <-l.closed:
		return nil, net.ErrClosed
	}
}

// Close implements [net.Listener].
func (l *listener) Close() error { return l.close() }

// Return gives a connection that a handler took over back to the HTTP server.
func (c *conn) Return() {
	select {
	case c.from.accepted <- accepted{conn: c}:
	case <-c.from.closed:
		_ = c.Close() // the service stops
	}
}

// SyscallConn gives the connection of the operating system, below TLS.
func (c *conn) SyscallConn() (syscall.RawConn, error) {
	below := c.Conn
	if secure, ok := below.(*tls.Conn); ok {
		below = secure.NetConn()
	}
	raw, ok := below.(syscall.Conn)
	if !ok {
		return nil, errors.ErrUnsupported
	}
	return raw.SyscallConn()
}

// Read implements [net.Conn].
func (c *conn) Read(p []byte) (int, error) {
	n, err := c.Conn.Read(p)
	if n > 0 {
		c.used.Store(true)
	}
	return n, err
}

// How much is still taken from whoever was answered before having sent everything.
const (
	lingerBytes = 2 << 20
	lingerTime  = time.Second
)

// Close implements [net.Conn]. Whoever was refused before having sent everything, such as too much, must be
// able to go on sending for a moment: the refusal would be lost in a broken connection otherwise.
func (c *conn) Close() error {
	c.forget()
	if half, ok := c.Conn.(interface{ CloseWrite() error }); ok && c.used.Load() && half.CloseWrite() == nil {
		_ = c.SetReadDeadline(time.Now().Add(lingerTime))
		_, _ = io.CopyN(io.Discard, c.Conn, lingerBytes) // it ends when the other side closes
	}
	return c.Conn.Close()
}

func (c *conn) forget() {
	c.from.mu.Lock()
	defer c.from.mu.Unlock()
	delete(c.from.conns, c)
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
		c.forget()
		_ = c.Conn.Close() // nothing was under way on it
	}
}
