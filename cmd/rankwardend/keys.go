package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/progress"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/spf13/cobra"

	"rankwarden.example/internal/app"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

func keysCommand() *cobra.Command {
	cmd := localFlags(&cobra.Command{
		Use: "keys", Short: "Keys that passwords are sealed to: make, prove, list, retire, seal again",
		Long: "Keys that passwords are sealed to.\n\n" +
			"A new key is not used before a copy of its private half was proved to open a challenge, so that no\n" +
			"password is ever sealed to a key that is lost with one disk. Private halves never enter the\n" +
			"database.",
	})
	cmd.AddCommand(
		keysNew(),
		keysList(),
		keysChallenge(),
		keysProve(),
		keysRetire(),
		keysReseal(),
		keysExport(),
		keysDrill(),
		keysRoot(),
	)
	return cmd
}

func keysNew() *cobra.Command {
	var recovery string
	var ofService bool
	cmd := &cobra.Command{
		Use: "new", Short: "Create a key; copy its file to a safe place, and prove the copy", Args: cobra.NoArgs,
		Long: "Create a key. It is the only command that ever creates one.\n\n" +
			"With --service: the root and signing keys of a new service, once for a new database, before the\n" +
			"first start. Otherwise: a key that passwords are sealed to, or with --recovery an offline recovery\n" +
			"key.",
	}
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if ofService {
			return newServiceKeys(cmd)
		}
		return locally(func(ctx context.Context, d localAdmin, _ []string) error {
			use, path := protocol.UseEscrow, d.escrow
			if recovery != "" {
				use, path = protocol.UseRecovery, recovery
			}
			number, err := d.Passwords.MakeEscrowKey(ctx, d.who, use, path)
			if err != nil {
				return err
			}
			fmt.Fprintf(d.out, "%s key %d is in %s.\n", use, number, path)
			if use == protocol.UseRecovery {
				fmt.Fprintf(d.out, "Take that file off this machine, keep two copies, and prove one of them:\n")
				fmt.Fprintf(
					d.out,
					"  rankwardend keys challenge %d > challenge.json\n"+
						"  rankwardend answer challenge.json --key COPY     (where the copy is)\n"+
						"  rankwardend keys prove %d --answer WORD\n",
					number,
					number,
				)
				return nil
			}
			fmt.Fprintf(
				d.out,
				"Copy that file to a safe place, and prove the copy before it is used:\n  rankwardend keys prove %d "+
					"--copy COPY\n",
				number,
			)
			return nil
		})(cmd, args)
	}
	cmd.Flags().
		StringVar(&recovery, "recovery", "", "create an offline recovery key, and write its private half to this "+
			"`file` only")
	cmd.Flags().BoolVar(&ofService, "service", false,
		"create the root and signing keys of a new service, in the file named by --keys")
	cmd.MarkFlagsMutuallyExclusive("recovery", "service")
	return cmd
}

// newServiceKeys makes the key file of a new service. It never replaces one that is there.
func newServiceKeys(cmd *cobra.Command) error {
	k, err := options(cmd.Flags())
	if err != nil {
		return err
	}
	config := databaseOf(k)
	config.Keys, config.Organisation = k.String("keys"), k.String("organisation")
	if err := app.CreateKeys(cmd.Context(), config); err != nil {
		return err
	}
	fmt.Fprintf(
		cmd.OutOrStdout(),
		"The service's keys are in %s. Every replica needs this file. Keep a copy in a safe place: without it, every "+
			"device must enrol again.\n",
		config.Keys,
	)
	return nil
}

// keysRoot prints what everybody who proves something of this service begins with.
func keysRoot() *cobra.Command {
	return &cobra.Command{
		Use: "root", Short: "Print the fingerprint of the root key; write it down to prove the audit trail with it",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			k, err := options(cmd.Flags())
			if err != nil {
				return err
			}
			keys, err := keyring.Load(k.String("keys"))
			if err == nil {
				_, err = fmt.Fprintln(cmd.OutOrStdout(), keys.Root.ID)
			}
			return err
		},
	}
}

func keysList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List keys, and how many deposits are sealed to each", Args: cobra.NoArgs,
		RunE: locally(func(ctx context.Context, d localAdmin, _ []string) error {
			keys, uses, err := d.Passwords.EscrowKeys(ctx)
			if err != nil {
				return err
			}
			ring, err := escrow.ReadRing(d.escrow)
			if err != nil {
				return err
			}
			t := table.NewWriter()
			t.SetOutputMirror(d.out)
			t.SetStyle(table.StyleLight)
			t.Style().Options = table.OptionsNoBordersAndSeparators
			t.AppendHeader(table.Row{"Key", "Use", "State", "Made", "Deposits", "Private half", "Last drill"})
			for _, k := range keys {
				private := "not here"
				if ring.Holds(k.Number) {
					private = "here"
				} else if k.Use == protocol.UseRecovery {
					private = "offline"
				}
				drilled := ""
				if k.DrilledAt != nil {
					drilled = k.DrilledAt.Local().Format("2 Jan 2006 15:04")
				} else if k.Use == protocol.UseRecovery && k.State == store.KeyLive {
					drilled = "never"
				}
				t.AppendRow(table.Row{
					k.Number,
					k.Use,
					k.State,
					k.MadeAt.Local().Format("2 Jan 2006 15:04"),
					uses[k.Number],
					private,
					drilled,
				})
			}
			t.Render()
			return nil
		}),
	}
}

func keyNumber(arg string) (int64, error) {
	number, err := strconv.ParseInt(arg, 10, 64)
	if err != nil || number < 1 {
		return 0, fmt.Errorf("%q is no number of a key; see: rankwardend keys list", arg)
	}
	return number, nil
}

func keysChallenge() *cobra.Command {
	return &cobra.Command{
		Use:   "challenge NUMBER",
		Short: "Print a challenge that only the private half of a key can answer",
		Args:  cobra.ExactArgs(1),
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			number, err := keyNumber(args[0])
			if err != nil {
				return err
			}
			c, err := d.Passwords.Challenge(ctx, number)
			if err != nil {
				return err
			}
			return json.NewEncoder(d.out).Encode(c)
		}),
	}
}

func keysProve() *cobra.Command {
	var path, answer string
	cmd := &cobra.Command{
		Use:   "prove NUMBER",
		Short: "Prove that a copy of a new key's private half exists, and let devices use the key",
		Args:  cobra.ExactArgs(1),
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			number, err := keyNumber(args[0])
			if err != nil {
				return err
			}
			switch {
			case (path == "") == (answer == ""):
				return errors.New("give the copy with --copy FILE, or the answer to a challenge with --answer WORD")
			case answer != "":
				err = d.Passwords.ProveEscrowKey(ctx, d.who, number, answer)
			default:
				if same, sameErr := sameFile(path, d.escrow); sameErr != nil {
					return sameErr
				} else if same {
					return fmt.Errorf("%s is the service's own file, not a copy of it; copy it to another place, and "+
						"name that", path)
				}
				var copy escrow.Ring
				if copy, err = escrow.ReadRing(path); err == nil {
					err = d.Passwords.ProveByCopy(ctx, d.who, number, copy)
				}
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(d.out, "Key %d is live: devices seal to it from their next check-in.\n", number)
			return nil
		}),
	}
	cmd.Flags().StringVar(&path, "copy", "", "`file` with the copy")
	cmd.Flags().StringVar(&answer, "answer", "", "the `word` that rankwardend answer printed")
	return cmd
}

// sameFile reports whether a copy is the original itself: that proves nothing about a copy.
func sameFile(a, b string) (bool, error) {
	first, err := os.Stat(a)
	if err != nil {
		return false, fmt.Errorf("the copy: %w", err)
	}
	second, err := os.Stat(b)
	if err != nil {
		return false, nil // the copy is all that there is here
	}
	left, _ := filepath.Abs(a)
	right, _ := filepath.Abs(b)
	return os.SameFile(first, second) || left == right, nil
}

func keysRetire() *cobra.Command {
	return &cobra.Command{
		Use: "retire NUMBER", Short: "Seal nothing new to a key", Args: cobra.ExactArgs(1),
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			number, err := keyNumber(args[0])
			if err != nil {
				return err
			}
			if err := d.Passwords.RetireEscrowKey(ctx, d.who, number); err != nil {
				return err
			}
			fmt.Fprintf(
				d.out,
				"Key %d is retired. Keep its private half: what is sealed to it stays so until\n  rankwardend keys "+
					"reseal %d\n",
				number,
				number,
			)
			return nil
		}),
	}
}

func keysReseal() *cobra.Command {
	return &cobra.Command{
		Use: "reseal NUMBER", Short: "Seal what is sealed to a retired key to the newest live one",
		Args: cobra.ExactArgs(1),
		Long: "Seal what is sealed to a retired key to the newest live one. It may be interrupted and begun again.",
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			number, err := keyNumber(args[0])
			if err != nil {
				return err
			}
			bar := progress.NewWriter()
			bar.SetOutputWriter(d.err)
			bar.SetStyle(progress.StyleBlocks)
			tracker := &progress.Tracker{Message: "sealing again"}
			bar.AppendTracker(tracker)
			go bar.Render()
			done, err := d.Passwords.Reseal(ctx, d.who, number, func(done, all int) error {
				tracker.UpdateTotal(int64(all))
				tracker.SetValue(int64(done))
				return nil
			})
			tracker.MarkAsDone()
			bar.Stop()
			if err != nil {
				return fmt.Errorf("%d deposits were sealed again; begin it again for the rest: %w", done, err)
			}
			fmt.Fprintf(d.out, "%d deposits are sealed to the newest key now.\n", done)
			return nil
		}),
	}
}

func keysExport() *cobra.Command {
	return &cobra.Command{
		Use: "export", Short: "Print every deposit as sealed to the recovery key, one a line", Args: cobra.NoArgs,
		Long: "Print every deposit as sealed to the recovery key, one a line. Keep the file away from the service:\n" +
			"with the recovery key, rankwardend recover opens it on any machine.",
		RunE: locally(func(ctx context.Context, d localAdmin, _ []string) error {
			lines := json.NewEncoder(d.out)
			done, err := d.Passwords.ExportDeposits(
				ctx,
				d.who,
				func(e passwords.ExportedDeposit) error { return lines.Encode(e) },
			)
			if err == nil {
				fmt.Fprintf(d.err, "%d deposits\n", done)
			}
			return err
		}),
	}
}
