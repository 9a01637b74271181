package cuts

import (
	"bytes"
	"encoding/binary"
	"io"
	"net"
	"sync"
)

// proxy stands between the service and PostgreSQL, and can cut a connection around a commit: before
// it, so that nothing was stored, or after it, so that the service does not hear that it was.
type proxy struct {
	listener net.Listener
	to       string

	mu    sync.Mutex
	conns map[net.Conn]bool
}

// fault is what happens at one commit.
type fault int

const (
	none fault = iota
	before
	after
)

// newProxy begins to listen. decide gives what decides at the commits of a connection, by its number from 1.
func newProxy(to string, decide func(connection uint64) func() fault) (*proxy, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	p := &proxy{listener: listener, to: to, conns: map[net.Conn]bool{}}
	go func() {
		for connection := uint64(1); ; connection++ {
			client, err := listener.Accept()
			if err != nil {
				return
			}
			go p.serve(client, decide(connection))
		}
	}()
	return p, nil
}

func (p *proxy) address() string { return p.listener.Addr().String() }

func (p *proxy) close() {
	p.listener.Close()
	p.mu.Lock()
	defer p.mu.Unlock()
	for c := range p.conns {
		c.Close()
	}
}

func (p *proxy) keep(c net.Conn) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.conns[c] = true
}

func (p *proxy) serve(client net.Conn, decide func() fault) {
	defer client.Close()
	server, err := net.Dial("tcp", p.to)
	if err != nil {
		return
	}
	defer server.Close()
	p.keep(client)
	p.keep(server)
	answers := make(chan struct{})
	deaf := make(chan struct{}) // closed when no answer goes back any more
	go func() {
		defer close(answers)
		defer client.Close() // when the server has closed, there is nothing to wait for
		buffer := make([]byte, 64<<10)
		for {
			n, err := server.Read(buffer)
			if err != nil {
				return
			}
			select {
			case <-deaf:
				continue
			default:
			}
			if _, err := client.Write(buffer[:n]); err != nil {
				return
			}
		}
	}()
	forward(client, server, deaf, decide)
	server.Close()
	<-answers
}

// forward passes messages on to the server, one by one, until a fault ends it.
func forward(client, server net.Conn, deaf chan struct{}, decide func() fault) {
	first := true // the first message has no type
	for {
		message, err := readMessage(client, first)
		if err != nil {
			return
		}
		first = false
		what := none
		if bytes.Equal(bytes.ToLower(message), []byte("q\x00\x00\x00\x0bcommit\x00")) {
			what = decide()
		}
		switch what {
		case before:
			return
		case after:
			close(deaf)
		}
		if _, err := server.Write(message); err != nil {
			return
		}
		if what == after {
			// The server closes the connection when it has carried out what it got.
			if half, ok := server.(*net.TCPConn); ok {
				_ = half.CloseWrite() // it is over in any case
				_, _ = io.Copy(io.Discard, server)
			}
			return
		}
	}
}

func readMessage(from io.Reader, first bool) ([]byte, error) {
	head := make([]byte, 5)
	if first {
		head = head[:4]
	}
	if _, err := io.ReadFull(from, head); err != nil {
		return nil, err
	}
	length := int(binary.BigEndian.Uint32(head[len(head)-4:])) - 4
	message := append(head, make([]byte, length)...)
	_, err := io.ReadFull(from, message[len(head):])
	return message, err
}
