package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"rankwarden.example/client"
	"rankwarden.example/internal/wire/audit"
)

// proved is what a trail was found to be, as data.
type proved struct {
	First    int64  `json:"first"`
	Last     int64  `json:"last"`
	Entries  int64  `json:"entries"`
	Anchored int64  `json:"anchored"` // the last entry that a checkpoint holds, 0 for none
	At       string `json:"anchored_at,omitempty"`
}

func (a *app) trailVerify() *cobra.Command {
	var root, checkpoints string
	cmd := &cobra.Command{
		Use: "verify [FILE]", Short: "Prove that nobody altered the trail", Args: cobra.MaximumNArgs(1),
		Long: "Prove that nobody altered the trail, or name the first entry that is not what was written. FILE is\n" +
			"an export in JSON lines, and needs no service; without it the trail is read from the service, and\n" +
			"checked here.\n\n" +
			"An export that was written anew as a whole hangs together too: only checkpoints that were kept\n" +
			"elsewhere find that. Give them with --checkpoints: the file to which the service adds them, or one\n" +
			"written by rankwarden trail checkpoints.",
		Example: "  rankwarden trail verify trail.jsonl --root FINGERPRINT --checkpoints checkpoints.jsonl",
		RunE: func(cmd *cobra.Command, args []string) error {
			if root == "" {
				return unusable{
					errors.New("give --root, the fingerprint of the service's root key: rankwardend keys root prints " +
						"it on the machine of the service, and it is the last part of every enrolment token"),
				}
			}
			kept, err := readProofs(checkpoints)
			if err != nil {
				return err
			}
			export, err := a.trailToVerify(cmd, args)
			if err != nil {
				return err
			}
			defer export.Close()
			found, err := audit.VerifyFile(export, root, kept)
			if err != nil {
				return err
			}
			return a.verdict(found)
		},
	}
	cmd.Flags().StringVar(&root, "root", "", "`fingerprint` of the service's root key")
	cmd.Flags().StringVar(&checkpoints, "checkpoints", "", "`file` with checkpoints that were kept elsewhere")
	return cmd
}

// trailToVerify opens a file, or an export of the service.
func (a *app) trailToVerify(cmd *cobra.Command, args []string) (io.ReadCloser, error) {
	if len(args) == 1 {
		f, err := os.Open(args[0])
		if err != nil {
			return nil, unusable{err}
		}
		return f, nil
	}
	c, err := a.connect()
	if err != nil {
		return nil, err
	}
	return c.ExportTrail(cmd.Context(), "jsonl", client.TrailQuery{})
}

// readProofs reads a file of checkpoints; none without a name.
func readProofs(path string) ([]audit.Proof, error) {
	if path == "" {
		return nil, nil
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, unusable{err}
	}
	defer f.Close()
	var list []audit.Proof
	for decoder := json.NewDecoder(f); ; {
		var p audit.Proof
		switch err := decoder.Decode(&p); {
		case errors.Is(err, io.EOF):
			return list, nil
		case err != nil || p.Checkpoint == "":
			return nil, unusable{
				fmt.Errorf("%s: checkpoint %d cannot be read; each is a line of JSON", path, len(list)+1),
			}
		}
		list = append(list, p)
	}
}

// verdict prints what an export was found to be, and what it proves and does not.
func (a *app) verdict(v audit.Verdict) error {
	result := proved{First: v.First, Last: v.Last, Entries: v.Entries}
	if v.Anchored != nil {
		result.Anchored, result.At = v.Anchored.Seq, v.Anchored.At.Format("2006-01-02T15:04:05Z07:00")
	}
	return a.one(result, func() error {
		if v.Entries == 0 {
			_, err := fmt.Fprintln(a.out, "The export holds no entries.")
			return err
		}
		fmt.Fprintf(a.out, "Entries %d to %d hang together: none was changed, taken out or put in.\n", v.First, v.Last)
		switch {
		case v.Anchored == nil:
			fmt.Fprintln(
				a.out,
				"No checkpoint holds any of them, so that they could have been written anew as a whole.",
			)
		case v.Anchored.Seq < v.Last:
			fmt.Fprintf(
				a.out,
				"Up to entry %d they are those of the checkpoint of %s. The %d behind it are not anchored yet.\n",
				v.Anchored.Seq,
				v.Anchored.At.Local().Format("2006-01-02 15:04:05"),
				v.Last-v.Anchored.Seq,
			)
		default:
			fmt.Fprintf(
				a.out,
				"They are those of the checkpoint of %s.\n",
				v.Anchored.At.Local().Format("2006-01-02 15:04:05"),
			)
		}
		if v.First > 1 {
			fmt.Fprintf(a.out, "Nothing is said of the entries before %d.\n", v.First)
		}
		return nil
	})
}
