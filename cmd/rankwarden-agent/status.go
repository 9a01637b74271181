package main

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/present"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent"
	"rankwarden.example/internal/agent/journal"
)

// statusFile is where the agent tells how it stands to anybody who is signed in.
func statusFile(f flags) string {
	if f.host == hostSimulated {
		return filepath.Join(f.state, "status.json")
	}
	return publicStatus
}

// deviceStatus is all that status says. Settings, passwords and orders are for whoever may read the agent's state.
type deviceStatus struct {
	agent.Status
	ReportedAt *time.Time       `json:"reported_at,omitempty"`
	Settings   []settingStatus  `json:"settings,omitempty"`
	Passwords  []passwordStatus `json:"passwords,omitempty"`
	Waiting    []string         `json:"waiting,omitempty"`
	whole      bool
}

type settingStatus struct {
	Setting  string   `json:"setting"`
	Title    string   `json:"title"`
	Desired  string   `json:"desired"`
	Reported string   `json:"reported,omitempty"`
	Findings []string `json:"findings,omitempty"`
}

type passwordStatus struct {
	Account   string     `json:"account"`
	RotatedAt time.Time  `json:"rotated_at"`
	Next      *time.Time `json:"next,omitempty"`
}

// statusCommand tells whoever stands at the device how it stands, with the service gone, too.
func statusCommand(f *flags) *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{
		Use: "status", Short: "Say how this device stands: service, desired state, and what differs",
		Args: cobra.NoArgs,
		Long: "Say how this device stands, from what the agent keeps: it works without the service. Whoever may\n" +
			"read the agent's state sees each setting; everybody else sees a short form. There is never a secret\n" +
			"in it.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			s, err := readStatus(*f)
			if err != nil {
				return err
			}
			if asJSON {
				out := json.NewEncoder(cmd.OutOrStdout())
				out.SetIndent("", "  ")
				return out.Encode(s)
			}
			writeStatus(cmd.OutOrStdout(), s, time.Now())
			return nil
		},
	}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// readStatus reads what the agent told, and what it keeps where that may be read.
func readStatus(f flags) (deviceStatus, error) {
	told, toldErr := agent.ReadStatus(statusFile(f))
	s := deviceStatus{Status: told}
	j, err := journal.Peek(f.state)
	switch {
	case err == nil:
		s.add(j)
		if toldErr != nil {
			s.Trouble = toldErr.Error()
		}
		return s, nil
	case toldErr == nil:
		return s, nil
	}
	return s, errors.Join(toldErr, err)
}

// add tells what the agent keeps.
func (s *deviceStatus) add(j *journal.Journal) {
	s.whole = true
	s.Device, s.Help, s.Desired = j.Name, j.Help, j.Desired.Number
	findings := map[unit.ID][]string{}
	var state *drift.State
	if j.Last != nil {
		s.Reported = j.Last.Desired.Number
		s.ReportedAt = &j.Last.At
		state = &j.Last.State
		context := drift.Context{Directory: principal.NewTable(j.Asked.Directory), Now: time.Now(), Bound: true}
		for _, found := range drift.Check(j.Asked.Settings, state, j.Last.Failures, context) {
			findings[found.Unit] = append(findings[found.Unit], present.Finding(found))
		}
		for _, r := range j.Last.Rotation {
			s.Passwords = append(s.Passwords, passwordStatus{r.Target.String(), r.RotatedAt, r.Next})
		}
	}
	for _, asked := range j.Asked.Settings {
		line := settingStatus{Setting: asked.Unit.String(), Title: present.UnitInFull(asked.Unit),
			Desired: present.Value(asked.Unit, asked.Value), Findings: findings[asked.Unit]}
		if state != nil {
			if value := state.Value(asked.Unit); value != nil {
				line.Reported = present.Value(asked.Unit, value)
			}
		}
		s.Settings = append(s.Settings, line)
	}
	if j.Begun != nil {
		s.Waiting = append(s.Waiting, fmt.Sprintf("order %d (%s) is being carried out", j.Begun.Number, j.Begun.Kind))
	}
	if j.Pending != nil {
		s.Waiting = append(s.Waiting, "a report is on its way to the service")
	}
	if n := len(j.Events); n > 0 {
		s.Waiting = append(s.Waiting, fmt.Sprintf("%d events are not stored by the service yet", n))
	}
}

// writeStatus writes it for people.
func writeStatus(out io.Writer, s deviceStatus, now time.Time) {
	fmt.Fprintf(out, "%s\n", s.Device)
	fmt.Fprintf(out, "Service          %s\n", s.Service)
	if s.HeardAt != nil {
		fmt.Fprintf(out, "Last answer      %s\n", whenAgo(*s.HeardAt, now))
	} else {
		fmt.Fprintln(out, "Last answer      none since the agent started")
	}
	if s.Trouble != "" {
		fmt.Fprintf(out, "Trouble          %s\n", s.Trouble)
	}
	switch {
	case s.Desired == 0:
		fmt.Fprintln(out, "Desired state    none yet")
	case s.Desired == s.Reported:
		fmt.Fprintf(out, "Desired state    %d, reported back\n", s.Desired)
	default:
		fmt.Fprintf(out, "Desired state    %d, not reported back yet\n", s.Desired)
	}
	if s.Help != "" {
		fmt.Fprintf(out, "Locked out?      %s\n", s.Help)
	}
	if !s.whole {
		fmt.Fprintln(out, "\nAn administrator of this device sees more with the same command.")
		return
	}
	wrong := slices.DeleteFunc(slices.Clone(s.Settings), func(x settingStatus) bool { return len(x.Findings) == 0 })
	fmt.Fprintf(out, "\n%d settings, %d with findings\n", len(s.Settings), len(wrong))
	for _, x := range s.Settings {
		mark := "="
		if len(x.Findings) > 0 {
			mark = "≠"
		}
		fmt.Fprintf(out, "  %s %s: %s\n", mark, x.Title, x.Desired)
		if x.Reported != "" && x.Reported != x.Desired {
			fmt.Fprintf(out, "      reported: %s\n", x.Reported)
		}
		for _, finding := range x.Findings {
			fmt.Fprintf(out, "      %s\n", finding)
		}
	}
	for _, p := range s.Passwords {
		next := "not due by a rule"
		if p.Next != nil {
			next = "due " + p.Next.Local().Format("2006-01-02 15:04 MST")
		}
		fmt.Fprintf(out, "\nPassword of %s: changed %s, %s\n", p.Account, whenAgo(p.RotatedAt, now), next)
	}
	for _, what := range s.Waiting {
		fmt.Fprintf(out, "\nWaiting: %s\n", what)
	}
}

func whenAgo(at, now time.Time) string {
	said := at.Local().Format("2006-01-02 15:04:05 MST")
	if ago := now.Sub(at).Round(time.Second); ago >= 0 {
		return fmt.Sprintf("%s (%s ago)", said, ago)
	}
	return said
}

// checkInPatience is how long the agent may take to exchange.
const checkInPatience = 90 * time.Second

// checkInCommand asks the running agent to exchange now.
func checkInCommand(f *flags) *cobra.Command {
	return &cobra.Command{
		Use: "check-in", Short: "Have the running agent exchange with the service now", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			word := rand.Text()
			if err := agent.AskCheckIn(f.state, word); err != nil {
				return err
			}
			patience := time.After(checkInPatience)
			look := time.NewTicker(200 * time.Millisecond)
			defer look.Stop()
			for {
				select {
				case <-cmd.Context().Done():
					return cmd.Context().Err()
				case <-patience:
					return fmt.Errorf("the agent did not answer within %s; is it running?", checkInPatience)
				case <-look.C:
				}
				s, err := agent.ReadStatus(statusFile(*f))
				if err != nil && !errors.Is(err, os.ErrNotExist) || s.Asked != word {
					continue
				}
				if s.Trouble != "" {
					return fmt.Errorf("the exchange failed: %s", s.Trouble)
				}
				whole, err := readStatus(*f)
				if err == nil {
					writeStatus(cmd.OutOrStdout(), whole, time.Now())
				}
				return err
			}
		},
	}
}
