// Command mutate breaks rules of the program one by one, and looks whether the tests beside each notice. The rules and
// their broken forms are in rules.yaml. It builds from overlays, so that no file of the repository is touched.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strings"
	"sync"

	"go.yaml.in/yaml/v3"
	"golang.org/x/sync/errgroup"
)

// rule is one rule of the program with what breaks it.
type rule struct {
	Rule string `yaml:"rule"` // in words
	File string `yaml:"file"`
	From string `yaml:"from"` // stands in the file once
	To   string `yaml:"to"`
}

// share is how many of ten rules must be noticed at least, in core and in rooms each.
const share = 9

func main() {
	only := flag.String("only", "", "`part` of a file's path, to try only the rules there")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, os.Stdout, *only); err != nil {
		fmt.Fprintln(os.Stderr, "mutate:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, out io.Writer, only string) error {
	data, err := os.ReadFile("e2e/mutate/rules.yaml")
	if err != nil {
		return err
	}
	var all, rules []rule
	if err := yaml.Unmarshal(data, &all); err != nil {
		return fmt.Errorf("rules.yaml: %w", err)
	}
	for _, r := range all {
		if strings.Contains(r.File, only) {
			rules = append(rules, r)
		}
	}
	noticed := make([]bool, len(rules))
	var printing sync.Mutex
	var trying errgroup.Group
	trying.SetLimit(max(1, runtime.GOMAXPROCS(0)/2))
	for i, r := range rules {
		trying.Go(func() (err error) {
			if noticed[i], err = try(ctx, r); err != nil {
				return fmt.Errorf("%s, %q: %w", r.File, r.Rule, err)
			}
			printing.Lock()
			defer printing.Unlock()
			_, err = fmt.Fprintf(out, "%-9s %s: %s\n", map[bool]string{true: "noticed", false: "SURVIVES"}[noticed[i]],
				r.File, r.Rule)
			return err
		})
	}
	if err := trying.Wait(); err != nil {
		return err
	}
	return judge(out, rules, noticed)
}

// judge counts by part of the program, and fails where too many survive.
func judge(out io.Writer, rules []rule, noticed []bool) (err error) {
	of, killed := map[string]int{}, map[string]int{}
	for i, r := range rules {
		part, _, _ := strings.Cut(r.File, "/")
		if part == "internal" {
			part = strings.Join(strings.Split(r.File, "/")[:2], "/")
		}
		of[part]++
		if noticed[i] {
			killed[part]++
		}
	}
	for part, n := range of {
		fmt.Fprintf(out, "%s: %d of %d broken rules are noticed by the tests beside them\n", part, killed[part], n)
		if killed[part]*10 < share*n {
			err = errors.Join(err, fmt.Errorf("%s: fewer than %d of 10", part, share))
		}
	}
	return err
}

// try breaks one rule, and reports whether the tests of its package fail then. A form that does not compile is a
// mistake of the list.
func try(ctx context.Context, r rule) (bool, error) {
	source, err := os.ReadFile(r.File)
	if err != nil {
		return false, err
	}
	if n := bytes.Count(source, []byte(r.From)); n != 1 {
		return false, fmt.Errorf("%q stands there %d times", r.From, n)
	}
	dir, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return false, err
	}
	defer os.RemoveAll(dir)
	broken, overlay := filepath.Join(dir, filepath.Base(r.File)), filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(broken, bytes.Replace(source, []byte(r.From), []byte(r.To), 1), 0o600); err != nil {
		return false, err
	}
	target, err := filepath.Abs(r.File)
	if err != nil {
		return false, err
	}
	replaced, err := json.Marshal(map[string]any{"Replace": map[string]string{target: broken}})
	if err != nil {
		return false, err
	}
	if err := os.WriteFile(overlay, replaced, 0o600); err != nil {
		return false, err
	}
	pkg := "./" + filepath.Dir(r.File)
	if out, err := exec.CommandContext(ctx, "go", "build", "-overlay", overlay, pkg).CombinedOutput(); err != nil {
		return false, fmt.Errorf("the broken form does not compile: %s", out)
	}
	err = exec.CommandContext(ctx, "go", "test", "-vet=off", "-failfast", "-timeout", "5m", "-overlay", overlay, pkg).
		Run()
	var failed *exec.ExitError
	if err != nil && !errors.As(err, &failed) {
		return false, err
	}
	return err != nil, ctx.Err()
}
