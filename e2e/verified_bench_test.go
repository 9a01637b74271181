package e2e

import (
	"bufio"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/console"
	"rankwarden.example/core/drift"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/wire/protocol"
)

// BenchmarkGoToVerified shows how long it takes from an edit of all of 10,000 online devices until half of them, and
// nearly all, have told that they have it. They hold their requests at two replicas and speak the real protocol, but
// change nothing on a host; all of it shares the cores of one machine.
func BenchmarkGoToVerified(b *testing.B) {
	ctx := b.Context()
	var limit syscall.Rlimit
	require.NoError(b, syscall.Getrlimit(syscall.RLIMIT_NOFILE, &limit))
	count := int(min(10_000, (limit.Cur-1000)/2)) // both ends are in this process
	url, config, here, c := benchedAs(b)
	there, err := app.Start(ctx, config, console.Files(), slog.New(slog.DiscardHandler))
	require.NoError(b, err)
	b.Cleanup(func() { require.NoError(b, there.Stop()) })
	devices := patients(b, url, count)
	here.Changed(ctx)
	there.Changed(ctx)
	p, err := c.CreatePolicy(ctx, document("lengths", "passwords: {min_length: 8}"))
	require.NoError(b, err)
	_, err = c.PublishPolicy(ctx, "lengths", p.Version)
	require.NoError(b, err)
	_, err = c.CreateAssignment(ctx, "lengths", api.Aim{Policy: "lengths", Include: []string{"everything"}, Rank: 500})
	require.NoError(b, err)
	for i, d := range devices {
		address := strings.TrimPrefix([]string{here.URL, there.URL}[i%2], "http://")
		d.conn, err = net.Dial("tcp", address)
		require.NoError(b, err)
		d.read = bufio.NewReaderSize(d.conn, 16)
		b.Cleanup(func() { d.conn.Close() })
	}
	length, seq := 8, int64(0)
	follow := func(held bool) []time.Duration {
		seq++
		took := make([]time.Duration, count)
		failed := make(chan error, count)
		var all sync.WaitGroup
		var began time.Time
		gone := make(chan bool)
		for i, d := range devices {
			all.Go(func() {
				if held {
					if err := d.told(); err != nil {
						failed <- err
						return
					}
				}
				if err := d.verify(i, seq, length); err != nil {
					failed <- fmt.Errorf("device %d: %w", i, err)
					return
				}
				<-gone
				took[i] = time.Since(began)
			})
		}
		if held {
			require.Eventually(b, func() bool { return parked(b) == count }, patience, 100*time.Millisecond)
			length++
			p, err := c.Policy(ctx, "lengths")
			require.NoError(b, err)
			p, err = c.SavePolicy(ctx, "lengths",
				document("lengths", fmt.Sprintf("passwords: {min_length: %d}", length)), p.Version)
			require.NoError(b, err)
			began = time.Now()
			_, err = c.PublishPolicy(ctx, "lengths", p.Version)
			require.NoError(b, err)
		}
		close(gone)
		all.Wait()
		close(failed)
		for err := range failed {
			require.NoError(b, err)
		}
		slices.Sort(took)
		return took
	}
	follow(false) // they come to hold what is asked for
	shares := []int{1, 10, 25, 50, 75, 90, 99}
	times := map[int][]float64{}
	for b.Loop() {
		took := follow(true)
		for _, share := range shares {
			times[share] = append(times[share], took[count*share/100].Seconds())
		}
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(float64(count), "devices")
	for _, share := range shares {
		slices.Sort(times[share])
		b.ReportMetric(times[share][len(times[share])/2], fmt.Sprintf("s/%d%%", share)) // the middle of the runs
	}
}

// told holds a request open until something waits for the device.
func (p *patient) told() error {
	for {
		if err := p.send(protocol.PathWait, protocol.WaitRequest{Desired: p.holds, KeyList: 1 << 40}); err != nil {
			return err
		}
		var answer protocol.WaitAnswer
		status, err := p.answer(&answer)
		if err != nil || status != http.StatusOK {
			return fmt.Errorf("waiting: status %d: %w", status, err)
		}
		if answer.Ready {
			return p.take(answer.Desired)
		}
	}
}

// verify reports that the device has what it holds, and checks in for it first where it holds nothing yet.
func (p *patient) verify(i int, seq int64, length int) error {
	stored := false
	for !stored {
		var report *drift.Report
		if p.holds.Number > 0 {
			next := reportOfOrdinary(fmt.Sprintf("SKL-BIG-%06d", i), seq, p.holds, length)
			report = &next
		}
		header := protocol.Header{KeyID: p.key.ID, URL: protocol.PathCheckIn, Time: time.Now()}
		if report != nil {
			header.Sequence = report.Seq
		}
		body := protocol.CheckIn{Desired: p.holds, KeyList: 1 << 40, Epoch: 1, Report: report}
		if err := p.post(header, body); err != nil {
			return err
		}
		var answer protocol.Answer
		status, err := p.answer(&answer)
		switch {
		case status == http.StatusServiceUnavailable:
			time.Sleep(50 * time.Millisecond) // it is asked to come back; a real one waits longer
		case err != nil || status != http.StatusOK:
			return fmt.Errorf("checking in: status %d: %w", status, err)
		default:
			if err := p.take(answer.Desired); err != nil {
				return err
			}
		}
		stored = answer.Stored == seq
	}
	return nil
}

// take takes a desired state, if there is one.
func (p *patient) take(document string) error {
	if document == "" {
		return nil
	}
	var d protocol.DesiredState
	if err := payloadOf(document, &d); err != nil {
		return err
	}
	payload, err := rawURL(strings.Split(document, ".")[1])
	p.holds = drift.Stamp{Epoch: d.Epoch, Number: d.Number, Digest: protocol.Digest(payload)}
	return err
}
