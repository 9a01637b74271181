package e2e

import (
	"bufio"
	"fmt"
	"net"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

const (
	warrantDevices = 1000
	warrantsEach   = 100 // asked for and taken back in one iteration, each on another device
)

// BenchmarkWarrants shows how long it takes from the asking of a warrant until its device has told that it has it, and
// from its taking back until it has told that, with 1,000 online devices that hold their requests and speak the real
// protocol, but change nothing on a host; all of it shares the cores of one machine.
func BenchmarkWarrants(b *testing.B) {
	ctx := b.Context()
	url, _, here, c := benchedAs(b)
	devices := patients(b, url, warrantDevices)
	here.Changed(ctx)
	p, err := c.CreatePolicy(ctx, document("lengths", "passwords: {min_length: 8}"))
	require.NoError(b, err)
	_, err = c.PublishPolicy(ctx, "lengths", p.Version)
	require.NoError(b, err)
	_, err = c.CreateAssignment(ctx, "lengths", api.Aim{Policy: "lengths", Include: []string{"everything"}, Rank: 500})
	require.NoError(b, err)
	failed := make(chan error, warrantDevices)
	told := make([]chan time.Time, warrantDevices)
	var first, all sync.WaitGroup
	first.Add(warrantDevices)
	for i, d := range devices {
		d.conn, err = net.Dial("tcp", strings.TrimPrefix(here.URL, "http://"))
		require.NoError(b, err)
		d.read = bufio.NewReaderSize(d.conn, 16)
		told[i] = make(chan time.Time, 8)
		all.Go(func() {
			err := d.verify(i, 1, 8)
			first.Done()
			for seq := int64(2); err == nil; seq++ {
				if err = d.told(); err == nil {
					err = d.verify(i, seq, 8)
				}
				told[i] <- time.Now()
			}
			failed <- fmt.Errorf("device %d: %w", i, err)
		})
	}
	b.Cleanup(func() {
		for _, d := range devices {
			d.conn.Close()
		}
		all.Wait()
	})
	first.Wait()
	require.Eventually(b, func() bool { return parked(b) == warrantDevices }, patience, 100*time.Millisecond)
	require.Empty(b, failed)
	var gained, lost []float64
	next := 0
	for b.Loop() {
		for range warrantsEach {
			i := (next * 7) % warrantDevices
			next++
			began := time.Now()
			w, err := c.AskWarrant(ctx, asks("local:clerk", fmt.Sprintf("SKL-BIG-%06d", i)))
			require.NoError(b, err)
			gained = append(gained, (<-told[i]).Sub(began).Seconds())
			began = time.Now()
			require.NoError(b, c.TakeBackWarrant(ctx, w.ID, "bench"))
			lost = append(lost, (<-told[i]).Sub(began).Seconds())
		}
	}
	b.ReportMetric(0, "ns/op")
	for name, times := range map[string][]float64{"given": gained, "taken": lost} {
		slices.Sort(times)
		b.ReportMetric(times[len(times)/2], "s-"+name+"/50%")
		b.ReportMetric(times[len(times)*99/100], "s-"+name+"/99%")
	}
}
