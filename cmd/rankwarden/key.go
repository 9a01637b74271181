package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

func (a *app) keyCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "key", Short: "Keys that passwords are sealed to",
		Long: "Keys that passwords are sealed to. A private half is made on your machine, and never sent: only its\n" +
			"public half is, and the proof that a copy of it exists. A key for the service goes live once its\n" +
			"private half is in the file of the service.",
	}
	cmd.AddCommand(
		a.keyList(), a.keyCreate(), a.keyProve(),
		a.decides(a.keyAct("approve", "Approve what waits for a second owner of a key", a.decideKey(true))),
		a.decides(a.keyAct("decline", "Decline what waits for a second owner of a key", a.decideKey(false))),
		a.keyAct("retire", "Seal nothing new to a key", (*client.Client).RetireEscrowKey),
		a.keyReseal(), a.keyUnrecovered(),
	)
	return cmd
}

func keyNumber(arg string) (int64, error) {
	number, err := strconv.ParseInt(arg, 10, 64)
	if err != nil || number < 1 {
		return 0, unusable{fmt.Errorf("%q is no number of a key; see: rankwarden key list", arg)}
	}
	return number, nil
}

// key reads the number of a key, and connects.
func (a *app) key(arg string) (*client.Client, int64, error) {
	number, err := keyNumber(arg)
	if err != nil {
		return nil, 0, err
	}
	c, err := a.connect()
	return c, number, err
}

// keyState is the state, with what waits for a second owner.
func keyState(k api.EscrowKey) string {
	if k.Asked != "" {
		return fmt.Sprintf("%s; %s asks for %s, another owner must approve", k.State, k.AskedBy, k.Asked)
	}
	if k.State == "new" {
		return "new; prove a copy of it"
	}
	return k.State
}

func resealWords(k api.EscrowKey) string {
	switch r := k.Reseal; {
	case r.By != "":
		return fmt.Sprintf("sealing again, %d of %d", r.Done, r.Total)
	case r.Error != "":
		return "ended: " + r.Error
	case r.Total > 0 && r.Done == r.Total:
		return fmt.Sprintf("%d sealed again", r.Done)
	}
	return ""
}

func (a *app) keyList() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "list", Short: "List keys, and how many passwords are sealed to each", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			keys, err := c.EscrowKeys(cmd.Context())
			if err != nil {
				return err
			}
			return list(a, keys, "No keys yet; no device changes passwords before one is live.",
				column[api.EscrowKey]{title: "Key", right: true,
					value: func(k api.EscrowKey) string { return strconv.FormatInt(k.Number, 10) }},
				column[api.EscrowKey]{title: "Use", value: func(k api.EscrowKey) string { return k.Use }},
				column[api.EscrowKey]{title: "State", wrap: 1, value: keyState,
					paint: func(k api.EscrowKey) text.Colors {
						if k.State == "live" {
							return text.Colors{text.FgGreen}
						}
						return nil
					}},
				column[api.EscrowKey]{title: "Made", wrap: 1,
					value: func(k api.EscrowKey) string {
						return strings.TrimSuffix(a.when(k.MadeAt)+" by "+k.MadeBy,
							" by ")
					}},
				column[api.EscrowKey]{title: "Passwords", right: true,
					value: func(k api.EscrowKey) string { return strconv.Itoa(k.Deposits) }},
				column[api.EscrowKey]{title: "Private half", value: func(k api.EscrowKey) string {
					return map[bool]string{true: "at the service", false: "not at the service"}[k.Held]
				}},
				column[api.EscrowKey]{title: "Last drill", value: func(k api.EscrowKey) string {
					if k.Use != protocol.UseRecovery {
						return ""
					}
					return a.sometime(k.DrilledAt, "never")
				}},
				column[api.EscrowKey]{title: "Sealing again", wrap: 1, value: resealWords},
			)
		},
	})
}

func (a *app) keyCreate() *cobra.Command {
	var use, path string
	cmd := &cobra.Command{
		Use: "create", Short: "Create a key on this machine, and enter its public half", Args: cobra.NoArgs,
		Example: "  rankwarden key create --use recovery --file /media/usb/recovery.json",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if path == "" || use != protocol.UseEscrow && use != protocol.UseRecovery {
				return unusable{errors.New("give --file, and --use escrow or recovery")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			keys, err := c.EscrowKeys(cmd.Context())
			if err != nil {
				return err
			}
			ring, err := escrow.ReadRing(path)
			if err != nil {
				return unusable{err}
			}
			number := ring.Highest() + 1
			for _, k := range keys {
				number = max(number, k.Number+1)
			}
			private, err := escrow.NewPrivate()
			if err != nil {
				return err
			}
			made := escrow.RingKey{Number: number, Use: use, MadeAt: a.now.UTC().
				Truncate(time.Second), Private: private}
			ring.Keys = append(ring.Keys, made)
			if err := ring.Write(path); err != nil { // first, so that no public half stands alone
				return err
			}
			if err := c.CreateEscrowKey(cmd.Context(),
				api.NewEscrowKey{Number: number, Use: use, Public: private.Public()}); err != nil {
				return err
			}
			return a.did(done{"created", strconv.FormatInt(number, 10)},
				"Created %s key %d; its private half is in %s.\nCopy that file to a safe place, and prove the copy: "+
					"rankwarden key prove %d --copy COPY\n",
				use, number, path, number)
		},
	}
	cmd.Flags().StringVar(&use, "use", "", "`escrow`, which the service opens with, or recovery, which is kept offline")
	cmd.Flags().StringVar(&path, "file", "", "`file` for the private half, mode 0600")
	return cmd
}

func (a *app) keyProve() *cobra.Command {
	var path string
	cmd := &cobra.Command{
		Use: "prove NUMBER", Short: "Prove that a copy of a new key exists, so that it goes live",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			number, err := keyNumber(args[0])
			if err != nil {
				return err
			}
			if path == "" {
				return unusable{errors.New("give the copy of the private half with --copy FILE")}
			}
			if _, err := os.Stat(path); err != nil {
				return unusable{fmt.Errorf("--copy: %w", err)}
			}
			ring, err := escrow.ReadRing(path)
			if err != nil {
				return unusable{err}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			document, err := c.ChallengeEscrowKey(cmd.Context(), number)
			if err != nil {
				return err
			}
			var challenge escrow.Challenge
			if err := json.Unmarshal(document, &challenge); err != nil {
				return fmt.Errorf("the challenge of the service cannot be read: %w", err)
			}
			answer, err := challenge.Answer(ring)
			if err != nil {
				return unusable{fmt.Errorf("the copy does not open the challenge of key %d: %w", number, err)}
			}
			if err := c.ProveEscrowKey(cmd.Context(), number, answer); err != nil {
				return err
			}
			return a.tellKey(cmd, c, number, "proved")
		},
	}
	cmd.Flags().StringVar(&path, "copy", "", "`file` with the copy of the private half")
	return cmd
}

// tellKey says how a key stands after something was done.
func (a *app) tellKey(cmd *cobra.Command, c *client.Client, number int64, what string) error {
	keys, err := c.EscrowKeys(cmd.Context())
	if err != nil {
		return err
	}
	for _, k := range keys {
		if k.Number == number {
			return a.did(k, "Key %d is %s.\n", number, keyState(k))
		}
	}
	return a.did(done{what, strconv.FormatInt(number, 10)}, "Key %d: %s.\n", number, what)
}

// keyAct does something with a key.
type keyAct = func(c *client.Client, ctx context.Context, number int64) error

func (a *app) decideKey(approve bool) keyAct {
	return func(c *client.Client, ctx context.Context, number int64) error {
		return a.deciding(ctx, c, func(c *client.Client) error { return c.DecideEscrowKey(ctx, number, approve) })
	}
}

// keyAct is a command that does something with a key, and says how it stands then.
func (a *app) keyAct(use, short string, act keyAct) *cobra.Command {
	return &cobra.Command{
		Use: use + " NUMBER", Short: short, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, number, err := a.key(args[0])
			if err != nil {
				return err
			}
			if err := act(c, cmd.Context(), number); err != nil {
				return err
			}
			return a.tellKey(cmd, c, number, use)
		},
	}
}
