// Command run carries out any number of runs of package cuts, and says how many lost a password.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"

	"rankwarden.example/e2e/cuts"
	"rankwarden.example/internal/pgcluster"
)

func main() {
	seeds := flag.Int("seeds", 200, "number of runs")
	first := flag.Uint64("first", 1, "seed of the first run")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	lost, err := run(ctx, *seeds, *first)
	if err != nil {
		fmt.Fprintln(os.Stderr, "cuts:", err)
		os.Exit(2)
	}
	fmt.Printf("cuts: %d runs, %d lost\n", *seeds, lost)
	if lost > 0 {
		os.Exit(1)
	}
}

func run(ctx context.Context, seeds int, first uint64) (lost int64, err error) {
	dir, err := os.MkdirTemp("", "rankwarden-cuts-*")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	cluster, err := pgcluster.Start(ctx, filepath.Join(dir, "postgres"))
	if err != nil {
		return 0, err
	}
	defer cluster.Stop()
	var failed, done atomic.Int64
	next := make(chan uint64)
	var workers sync.WaitGroup
	for range max(1, runtime.NumCPU()) {
		workers.Go(func() {
			for seed := range next {
				if err := cuts.Run(ctx, cluster, seed); err != nil {
					failed.Add(1)
					fmt.Println(err)
				}
				if n := done.Add(1); n%20 == 0 {
					fmt.Fprintf(os.Stderr, "%d of %d runs\n", n, seeds)
				}
			}
		})
	}
	for i := range seeds {
		select {
		case next <- first + uint64(i):
		case <-ctx.Done():
		}
	}
	close(next)
	workers.Wait()
	return failed.Load(), ctx.Err()
}
