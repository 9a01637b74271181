package e2e

import (
	"bufio"
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"regexp"
	"runtime"
	"runtime/pprof"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/wire/protocol"
)

// patient is a device that holds a request open, without an agent.
type patient struct {
	key   protocol.Key
	conn  net.Conn
	read  *bufio.Reader
	holds drift.Stamp
}

func (p *patient) send(path string, body any) error {
	return p.post(protocol.Header{KeyID: p.key.ID, URL: path, Time: time.Now()}, body)
}

func (p *patient) post(header protocol.Header, body any) error {
	document, err := protocol.Sign(p.key, header, body, false)
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(
		p.conn,
		"POST %s HTTP/1.1\r\nHost: x\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n%s",
		header.URL,
		protocol.ContentType,
		len(document),
		document,
	)
	return err
}

// answer reads an answer and what is in it.
func (p *patient) answer(into any) (int, error) {
	resp, err := http.ReadResponse(p.read, nil)
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err != nil || resp.StatusCode != http.StatusOK {
		return resp.StatusCode, err
	}
	return resp.StatusCode, payloadOf(string(body), into)
}

func rawURL(text string) ([]byte, error) { return base64.RawURLEncoding.DecodeString(text) }

// payloadOf reads a signed document without looking at the signature.
func payloadOf(document string, into any) error {
	parts := strings.Split(document, ".")
	if len(parts) != 3 {
		return fmt.Errorf("not signed: %.80s", document)
	}
	payload, err := rawURL(parts[1])
	if err != nil {
		return err
	}
	return json.Unmarshal(payload, into)
}

// patients enrols many devices past the service.
func patients(t testing.TB, url string, count int) []*patient {
	list := make([]*patient, count)
	rows := make([][]any, count)
	for i := range list {
		key, err := protocol.NewKey()
		require.NoError(t, err)
		id := fmt.Sprintf("%026d", i)
		list[i] = &patient{key: protocol.Key{ID: id, Private: key.Private}}
		name := fmt.Sprintf("SKL-BIG-%06d", i)
		rows[i] = []any{
			id,
			name,
			strings.ToLower(name),
			"",
			"Box",
			"windows",
			"10",
			1,
			"live",
			[]byte(key.Private.Public().(ed25519.PublicKey)),
			key.ID,
			time.Now(),
			time.Now(),
		}
	}
	conn, err := pgx.Connect(t.Context(), pgcluster.ForOwner(url))
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "alter table devices alter token_id drop not null")
	require.NoError(t, err)
	_, err = conn.CopyFrom(
		t.Context(),
		pgx.Identifier{"devices"},
		[]string{
			"id",
			"name",
			"name_key",
			"serial",
			"model",
			"platform",
			"os_version",
			"os_build",
			"state",
			"public_key",
			"key_id",
			"enrolled_at",
			"last_contact",
		},
		pgx.CopyFromRows(rows),
	)
	require.NoError(t, err)
	_, err = conn.Exec(t.Context(), `notify rankwarden, '{"topic": "devices"}'`)
	require.NoError(t, err)
	return list
}

// allOf does something with every device, some at a time.
func allOf(t *testing.T, list []*patient, do func(p *patient) error) {
	var running sync.WaitGroup
	next := make(chan *patient)
	failed := make(chan error, len(list))
	for range 64 {
		running.Go(func() {
			for p := range next {
				if err := do(p); err != nil {
					failed <- fmt.Errorf("%s: %w", p.key.ID, err)
				}
			}
		})
	}
	for _, p := range list {
		next <- p
	}
	close(next)
	running.Wait()
	close(failed)
	for err := range failed {
		require.NoError(t, err)
	}
}

// inUse is the memory of this process that is in use after everything else was collected, in bytes.
func inUse() int64 {
	var m runtime.MemStats
	for range 3 { // also what finalizers and pools held on to
		runtime.GC()
	}
	runtime.ReadMemStats(&m)
	return int64(m.HeapInuse + m.StackInuse)
}

// parked is the number of requests that the service holds in this process.
func parked(t testing.TB) (n int) {
	var stacks strings.Builder
	require.NoError(t, pprof.Lookup("goroutine").WriteTo(&stacks, 1))
	for _, same := range regexp.MustCompile(`(?m)^(\d+) @ .*(\n#.*)+`).FindAllStringSubmatch(stacks.String(), -1) {
		if strings.Contains(same[0], "(*API).park") {
			count, err := strconv.Atoi(same[1])
			require.NoError(t, err)
			n += count
		}
	}
	return n
}

// A held request costs little memory, also after a publish that answered all of them; connections of devices
// that left are let go at once; and while all devices come at once, operators are answered.
func TestHeldRequestsAreCheap(t *testing.T) {
	const most = int64(20) // KiB for each
	var limit syscall.Rlimit
	require.NoError(t, syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit))
	count := int(min(5_000, (limit.Cur-1000)/2)) // both ends are in this process
	if count < 2000 {
		t.Skipf("only %d files may be open", limit.Cur)
	}
	s := startAlone(t)
	ctx, owner := t.Context(), s.owner
	devices := patients(t, s.config.Database, count)
	s.Changed(ctx)
	require.Eventually(t, func() bool {
		n, err := owner.Standings(ctx, client.DeviceQuery{})
		return err == nil && n.InStep+n.Waiting+n.Silent == count
	}, patience, 20*time.Millisecond)
	base := inUse()
	address := strings.TrimPrefix(s.URL, "http://")
	allOf(t, devices, func(p *patient) error {
		var err error
		p.conn, err = net.Dial("tcp", address)
		p.read = bufio.NewReaderSize(p.conn, 16)
		return err
	})
	t.Cleanup(func() {
		for _, p := range devices {
			p.conn.Close()
		}
	})
	wait := func() {
		allOf(t, devices, func(p *patient) error {
			return p.send(protocol.PathWait, protocol.WaitRequest{Desired: p.holds, KeyList: 1 << 40})
		})
	}
	// Everything is warm before memory is compared: each device has checked in once.
	checkIn := func() {
		allOf(t, devices, func(p *patient) error {
			for {
				if err := p.send(protocol.PathCheckIn,
					protocol.CheckIn{Desired: p.holds, KeyList: 1 << 40, Epoch: 1}); err != nil {
					return err
				}
				var answer protocol.Answer
				status, err := p.answer(&answer)
				if status == http.StatusServiceUnavailable {
					time.Sleep(50 * time.Millisecond) // it is asked to come back; a real one waits longer
					continue
				}
				if err != nil || status != http.StatusOK {
					return fmt.Errorf("status %d: %w", status, err)
				}
				if answer.Desired != "" {
					var d protocol.DesiredState
					if err := payloadOf(answer.Desired, &d); err != nil {
						return err
					}
					p.holds = drift.Stamp{Epoch: d.Epoch, Number: d.Number}
				}
				return nil
			}
		})
	}
	checkIn()
	wait()
	each := func() int64 {
		require.Eventually(t, func() bool { return parked(t) == count }, patience, 100*time.Millisecond)
		return (inUse() - base) / 1024 / int64(count)
	}
	held := each()
	assert.LessOrEqual(t, held, most, "KiB for each held request")

	p, err := owner.CreatePolicy(ctx, document("base", "lockout: {threshold: 5}"))
	require.NoError(t, err)
	_, err = owner.PublishPolicy(ctx, "base", p.Version)
	require.NoError(t, err)
	_, err = owner.CreateAssignment(ctx, "base", api.Aim{Policy: "base", Include: []string{"everything"}, Rank: 500})
	require.NoError(t, err)
	answered := make(chan error, 1)
	ended, end := context.WithCancel(ctx)
	go func() { // an operator meanwhile
		for ended.Err() == nil {
			if _, err := owner.Devices(ctx, client.DeviceQuery{Search: "77"}, client.Page{}); err != nil {
				answered <- err
				return
			}
		}
		answered <- nil
	}()
	allOf(t, devices, func(p *patient) error {
		var answer protocol.WaitAnswer
		if status, err := p.answer(&answer); err != nil || status != http.StatusOK || !answer.Ready {
			return fmt.Errorf("status %d, ready %v: %w", status, answer.Ready, err)
		}
		return nil
	})
	checkIn()
	end()
	require.NoError(t, <-answered, "nobody starves")
	told := 0
	for _, p := range devices {
		told += int(p.holds.Number)
	}
	assert.Equal(t, count, told, "each was told")
	wait()
	again := each()
	assert.LessOrEqual(t, again, most, "KiB for each held request after a publish")
	t.Logf("%d KiB for each of %d held requests, %d KiB after a publish", held, count, again)

	for _, p := range devices {
		p.conn.Close()
	}
	require.Eventually(
		t,
		func() bool { return parked(t) == 0 },
		time.Minute,
		50*time.Millisecond,
		"handlers of devices that left end at once",
	)
}
