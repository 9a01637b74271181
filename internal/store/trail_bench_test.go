package store_test

import (
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/store"
	"rankwarden.example/internal/store/storetest"
	"rankwarden.example/internal/wire/audit"
)

// BenchmarkTrail appends entries, each in a transaction of its own, and ten together.
func BenchmarkTrail(b *testing.B) {
	db, _ := storetest.Open(b)
	for _, writers := range []int{1, 16} {
		for _, together := range []int{1, 10} {
			b.Run(fmt.Sprintf("%d-writers-%d-together", writers, together), func(b *testing.B) {
				b.SetParallelism(writers)
				var n atomic.Int64
				write := func() {
					entries := make([]audit.Entry, together)
					for i := range entries {
						entries[i] = audit.Entry{At: time.Now(), Actor: "asta", Action: "policy.saved",
							Object: fmt.Sprint("lamps", n.Add(1)), Outcome: audit.Done}
					}
					require.NoError(b, db.InTx(b.Context(), func(tx store.Writer) error {
						return tx.AppendAudit(entries...)
					}))
				}
				if writers == 1 {
					for b.Loop() {
						write()
					}
				} else {
					b.RunParallel(func(p *testing.PB) {
						for p.Next() {
							write()
						}
					})
				}
				b.ReportMetric(float64(n.Load())/b.Elapsed().Seconds(), "entries/s")
			})
		}
	}
}
