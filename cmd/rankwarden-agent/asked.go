package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// asked is what files ask of this machine, without rotations.
type asked struct {
	settings  []unit.Setting
	directory []principal.Entry
}

// settled is what policy files, or one scenario, come to.
func settled(ctx context.Context, warn io.Writer, files []string) (asked, error) {
	var aims []resolve.Assignment
	for i, file := range files {
		source, err := os.ReadFile(file)
		if err != nil {
			return asked{}, err
		}
		if s, is := asScenario(source); is {
			if len(files) > 1 {
				return asked{}, fmt.Errorf("%s is a scenario, which stands alone; leave the other files out", file)
			}
			return s.settled(ctx, warn, file)
		}
		doc, problems := policy.Parse(source, nil)
		for _, p := range problems {
			fmt.Fprintf(warn, "%s: %s\n", file, p)
		}
		if !policy.Usable(problems) {
			return asked{}, fmt.Errorf("%s cannot be used", file)
		}
		aims = append(aims, resolve.Assignment{Name: file, Rank: assign.Rank(i + 1), Stance: assign.Enforce,
			Policy: doc.Normalise(nil)})
	}
	return asked{settings: composed(warn, resolve.Settle(aims, nil).Enforced)}, nil
}

// composed are the settings of a lane, without what is held and without rotations.
func composed(warn io.Writer, lane resolve.Lane) (settings []unit.Setting) {
	for _, p := range lane.Problems {
		fmt.Fprintf(warn, "%s\n", present.Problem(p))
	}
	all, held := resolve.Compose(lane, nil)
	for _, h := range held {
		fmt.Fprintf(warn, "%s is left out: %s.\n", present.UnitInFull(h.Unit), h.Why)
	}
	rotations := 0
	for _, s := range all {
		if _, is := s.Unit.Target(); is {
			rotations++
			continue
		}
		settings = append(settings, s)
	}
	if rotations > 0 {
		fmt.Fprintln(warn, "Rotation of passwords is left out: without a service there is no escrow for them.")
	}
	return settings
}

// scenarioFormat is how a file says that it is a scenario.
const scenarioFormat = "rankwarden.scenario/1"

// scenarioFile is what is read of a scenario here; the operators' command settles it, since it has the expression
// language of groups by rule and the agent stays small.
type scenarioFile struct {
	Format    string `yaml:"format"`
	Devices   []any  `yaml:"devices"`
	Directory []struct {
		Ref string `yaml:"ref"`
		SID string `yaml:"sid"`
	} `yaml:"directory"`
}

func asScenario(source []byte) (s scenarioFile, is bool) {
	err := yaml.Unmarshal(source, &s)
	return s, s.Format == scenarioFormat && err == nil
}

// operatorsCommand settles scenarios.
const operatorsCommand = "rankwarden"

// command is the operators' command: beside this program, or wherever commands are.
func command() (string, error) {
	if self, err := os.Executable(); err == nil {
		beside := filepath.Join(filepath.Dir(self), operatorsCommand)
		if found, err := exec.LookPath(beside); err == nil {
			return found, nil
		}
	}
	found, err := exec.LookPath(operatorsCommand)
	if err != nil {
		return "", fmt.Errorf("this is a scenario, which the command %s settles, and it is not installed here; "+
			"install it, or name policy files instead", operatorsCommand)
	}
	return found, nil
}

func (s scenarioFile) settled(ctx context.Context, warn io.Writer, file string) (asked, error) {
	if len(s.Devices) != 1 {
		return asked{}, fmt.Errorf("%s has %d devices; to be checked on this machine a scenario has one, which stands "+
			"for it", file, len(s.Devices))
	}
	program, err := command()
	if err != nil {
		return asked{}, err
	}
	run := exec.CommandContext(ctx, program, "resolve", "--output", "json", "--", file)
	run.Stderr = warn
	out, err := run.Output()
	// Exit status 1 says that something is contested or in error, which is told below.
	if failed := (*exec.ExitError)(nil); err != nil && (!errors.As(err, &failed) || failed.ExitCode() != 1) {
		return asked{}, fmt.Errorf("%s cannot be settled: %w", file, err)
	}
	var resolution struct {
		Devices []struct {
			Enforced resolve.Lane `json:"enforced"`
		} `json:"devices"`
	}
	if err := json.NewDecoder(bytes.NewReader(out)).Decode(&resolution); err != nil || len(resolution.Devices) != 1 {
		return asked{}, fmt.Errorf("what %s said of %s cannot be read: %w", program, file,
			errors.Join(err, errors.New("it may be of another version")))
	}
	a := asked{settings: composed(warn, resolution.Devices[0].Enforced)}
	for _, e := range s.Directory {
		ref, err := principal.Parse(e.Ref)
		sid, wrong := principal.ParseSID(e.SID)
		if err := errors.Join(err, wrong); err != nil {
			return asked{}, fmt.Errorf("%s: directory: %w", file, err)
		}
		a.directory = append(a.directory, principal.Entry{Ref: ref, SID: sid})
	}
	return a, nil
}
