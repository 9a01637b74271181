package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/sync/errgroup"

	"rankwarden.example/core/scenario"
)

func (a *app) resolveCommand() *cobra.Command {
	var device string
	cmd := &cobra.Command{
		Use:   "resolve FILE",
		Short: "Resolve a scenario file without a service: which assignment decides each setting, and why",
		Args:  cobra.ExactArgs(1),
		Long: "Resolve a scenario, an organisation in one file with groups, policies, assignments and devices,\n" +
			"without a service. - reads standard input. --output is table (the default), json (the whole result)\n" +
			"or counts (one JSON object with numbers and times).\n\n" +
			"Exit status: 0 no device has an error or a contested setting; 1 one has; 2 the file cannot be used.",
		Annotations: map[string]string{ownOutputs: "table json counts"},
		RunE: func(_ *cobra.Command, args []string) error {
			start := time.Now()
			s, err := readScenario(args[0])
			if err != nil {
				return err
			}
			for _, w := range s.Warnings {
				a.notice("Warning: %s\n", w)
			}
			loaded := time.Now()
			settled := s.Settle(atOnce)
			took := time.Since(loaded)
			switch a.output {
			case "json":
				err = settled.WriteJSON(a.out)
			case "counts":
				counts := settled.Count()
				counts.LoadMS, counts.SettleMS = loaded.Sub(start).Milliseconds(), took.Milliseconds()
				err = a.data(counts)
			default:
				err = a.resolution(settled, device)
			}
			if err == nil && !settled.Clean() {
				err = errNo
			}
			return err
		},
	}
	cmd.Flags().StringVar(&device, "device", "", "print only this `device` of the table")
	return cmd
}

// A scenario is read and settled once, and the program ends: where it is not so large that memory could run short, the
// collector looks less often, in percent of what is kept.
const (
	mostHurried = 64 << 20 // bytes of a scenario
	hurried     = 400
)

// readScenario reads a scenario from a file, or from standard input for "-". Policies that it names are read beside it
// or below, and nowhere else.
func readScenario(path string) (*scenario.Scenario, error) {
	var source []byte
	var err error
	if path == "-" {
		source, err = readFile("-")
	} else {
		source, err = os.ReadFile(path)
	}
	if err != nil {
		return nil, unusable{err}
	}
	if len(source) < mostHurried {
		debug.SetGCPercent(hurried)
	}
	s, err := scenario.Read(source, func(name string) ([]byte, error) {
		if !filepath.IsLocal(name) {
			return nil, errors.New("policy files stand beside the scenario or below it: " + name)
		}
		return os.ReadFile(filepath.Join(filepath.Dir(path), name))
	})
	if err != nil {
		return nil, unusable{fmt.Errorf("%s: %w", path, err)}
	}
	return s, nil
}

// atOnce uses all processors for what is independent.
func atOnce(n int, do func(i int)) {
	var running errgroup.Group
	running.SetLimit(runtime.GOMAXPROCS(0))
	for i := range n {
		running.Go(func() error { do(i); return nil })
	}
	_ = running.Wait() // nothing fails
}
