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

	"rankwarden.example/demo/workstation"
	"rankwarden.example/e2e/cuts"
	"rankwarden.example/internal/kit/pgcluster"
)

func main() {
	seeds := flag.Int("seeds", 200, "number of runs")
	first := flag.Uint64("first", 1, "seed of the first run")
	host := flag.String("host", "simulated", "simulated or linux")
	agent := flag.String("agent", "bin/rankwarden-agent", "the agent that real workstations run")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	once, err := runOn(ctx, *host, *agent)
	if err != nil {
		fmt.Fprintln(os.Stderr, "cuts:", err)
		os.Exit(2)
	}
	lost, err := run(ctx, *seeds, *first, once)
	if err != nil {
		fmt.Fprintln(os.Stderr, "cuts:", err)
		os.Exit(2)
	}
	fmt.Printf("cuts: %d runs, %d lost\n", *seeds, lost)
	if lost > 0 {
		os.Exit(1)
	}
}

// once is one run with a seed.
type once func(ctx context.Context, cluster *pgcluster.Cluster, seed uint64) error

// runOn is how a run goes on a kind of host.
func runOn(ctx context.Context, host, agent string) (once, error) {
	switch host {
	case "simulated":
		return cuts.Run, nil
	case "linux":
		if err := workstation.Missing(); err != nil {
			return nil, err
		}
		root, err := workstation.Plain.Root(ctx, ".cache")
		return func(ctx context.Context, cluster *pgcluster.Cluster, seed uint64) error {
			return cuts.Linux(ctx, cluster, root, agent, seed)
		}, err
	}
	return nil, fmt.Errorf("there is no host %q; write simulated or linux", host)
}

func run(ctx context.Context, seeds int, first uint64, once once) (lost int64, err error) {
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
				if err := once(ctx, cluster, seed); err != nil {
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
