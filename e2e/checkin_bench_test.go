package e2e

import (
	"bufio"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/protocol"
)

const (
	checkers   = 64
	checksEach = 100
)

// BenchmarkCheckIns shows how many check-ins with nothing new a second the service answers, and the share that is of
// the rate of a bare handler of the same HTTP server, which checks the same signature and signs an answer of the
// same size. Requests are signed beforehand, over connections that stay.
func BenchmarkCheckIns(b *testing.B) {
	url, service, _ := benched(b)
	devices := patients(b, url, checkers)
	service.Changed(b.Context())
	documents := make([]string, checkers)
	for i, d := range devices {
		var err error
		documents[i], err = protocol.Sign(
			d.key,
			protocol.Header{KeyID: d.key.ID, URL: protocol.PathCheckIn, Time: time.Now()},
			protocol.CheckIn{KeyList: 1 << 40, Epoch: 1},
			false,
		)
		require.NoError(b, err)
	}
	bare := bareFiber(b, devices)
	for b.Loop() {
		ours, theirs := rateOfPosts(b, service.URL, documents), rateOfPosts(b, bare, documents)
		b.ReportMetric(0, "ns/op")
		b.ReportMetric(ours, "check-ins/s")
		b.ReportMetric(theirs, "bare/s")
		b.ReportMetric(ours/theirs, "of-bare")
	}
}

// bareFiber serves what checks a signature, reads and signs, and nothing else.
func bareFiber(b *testing.B, devices []*patient) string {
	keys := map[string]ed25519.PublicKey{}
	for _, d := range devices {
		keys[d.key.ID] = d.key.Public()
	}
	own, err := protocol.NewKey()
	require.NoError(b, err)
	app := fiber.New()
	app.Post(protocol.PathCheckIn, func(c fiber.Ctx) error {
		parts := strings.Split(string(c.Body()), ".")
		var decoded [3][]byte
		for i, part := range parts {
			var err error
			if decoded[i], err = base64.RawURLEncoding.DecodeString(part); err != nil {
				return err
			}
		}
		var header struct{ Kid string }
		var body protocol.CheckIn
		if err := json.Unmarshal(decoded[0], &header); err != nil {
			return err
		}
		if !ed25519.Verify(keys[header.Kid], []byte(parts[0]+"."+parts[1]), decoded[2]) {
			return fiber.ErrUnauthorized
		}
		if err := json.Unmarshal(decoded[1], &body); err != nil {
			return err
		}
		answer, err := json.Marshal(protocol.Answer{Time: time.Now(), Interval: 60, Accepted: true})
		if err != nil {
			return err
		}
		signed := parts[0] + "." + base64.RawURLEncoding.EncodeToString(answer)
		return c.SendString(
			signed + "." + base64.RawURLEncoding.EncodeToString(ed25519.Sign(own.Private, []byte(signed))),
		)
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(b, err)
	go func() { _ = app.Listener(listener, fiber.ListenConfig{DisableStartupMessage: true}) }()
	b.Cleanup(func() { require.NoError(b, app.Shutdown()) })
	return "http://" + listener.Addr().String()
}

// rateOfPosts is how often a second documents are answered, each over a connection of its own.
func rateOfPosts(b *testing.B, url string, documents []string) float64 {
	address := strings.TrimPrefix(url, "http://")
	conns, reads := make([]net.Conn, len(documents)), make([]*bufio.Reader, len(documents))
	for i := range documents {
		var err error
		conns[i], err = net.Dial("tcp", address)
		require.NoError(b, err)
		defer conns[i].Close()
		reads[i] = bufio.NewReader(conns[i])
	}
	m := rate(len(documents), checksEach, func(i, _ int) error {
		_, err := fmt.Fprintf(
			conns[i],
			"POST %s HTTP/1.1\r\nHost: x\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n%s",
			protocol.PathCheckIn,
			protocol.ContentType,
			len(documents[i]),
			documents[i],
		)
		if err != nil {
			return err
		}
		resp, err := http.ReadResponse(reads[i], nil)
		if err != nil {
			return err
		}
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		if err == nil && resp.StatusCode != http.StatusOK {
			err = fmt.Errorf("status %d: %.200s", resp.StatusCode, body)
		}
		return err
	})
	require.NoError(b, m.err)
	return m.perSecond
}
