package main

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/wire/escrow"
)

const longestLine = 1 << 20 // bytes of one deposit in a file

func recoverCommand() *cobra.Command {
	var key, device, account string
	var former, print bool
	cmd := &cobra.Command{
		Use:   "recover FILE",
		Short: "Open exported deposits with the recovery key, on a machine without the service",
		Args:  cobra.ExactArgs(1),
		Long: "Open exported deposits with the recovery key, on a machine without the service. FILE is what\n" +
			"rankwardend keys export printed. Passwords are printed to a terminal only, unless --print is given.",
		Example: "  rankwardend recover deposits.jsonl --key recovery-copy.json --device SKL-TKT-004",
		RunE: func(cmd *cobra.Command, args []string) error {
			out := cmd.OutOrStdout()
			if file, ok := out.(*os.File); !print && (!ok || !term.IsTerminal(int(file.Fd()))) {
				return errors.New("passwords are printed to a terminal only; give --print to print them anyway")
			}
			ring, err := escrow.ReadRing(key)
			if err != nil {
				return err
			}
			if len(ring.Keys) == 0 {
				return fmt.Errorf("there is no recovery key in %s", key)
			}
			in, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer in.Close()
			n, err := recoverDeposits(in, out, ring, func(e passwords.ExportedDeposit) bool {
				return strings.EqualFold(e.DeviceName, device) && (former || e.State != "former") &&
					(account == "" || e.About.Target.String() == account)
			})
			if err == nil && n == 0 {
				err = fmt.Errorf("%s holds no deposit of %s; --former shows former ones too", args[0], device)
			}
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&key, "key", "", "`file` with the private recovery key")
	f.StringVar(&device, "device", "", "`name` of the device")
	f.StringVar(&account, "account", "", "only of this `account`, such as account:desk-mooring")
	f.BoolVar(&former, "former", false, "former passwords too")
	f.BoolVar(&print, "print", false, "print passwords also where the output is not a terminal")
	_ = cmd.MarkFlagRequired("key")
	_ = cmd.MarkFlagRequired("device")
	return cmd
}

// recoverDeposits prints the wanted deposits of a file, and gives their number.
func recoverDeposits(
	in io.Reader, out io.Writer, key escrow.Opener, wanted func(passwords.ExportedDeposit) bool,
) (n int, err error) {
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, longestLine)
	for at := 1; lines.Scan(); at++ {
		var e passwords.ExportedDeposit
		if err := json.Unmarshal(lines.Bytes(), &e); err != nil {
			return n, fmt.Errorf("line %d is no exported deposit: %w", at, err)
		}
		if !wanted(e) {
			continue
		}
		password, err := key.Open(e.About, e.Sealed)
		if err != nil {
			return n, fmt.Errorf("line %d: %w", at, err)
		}
		n++
		fmt.Fprintf(
			out,
			"%s  %s  %s  %s  since %s\n    %s\n",
			e.DeviceName,
			e.About.Target,
			e.About.NameAfter,
			e.State,
			e.DepositedAt.UTC().Format("2006-01-02 15:04 UTC"),
			password,
		)
	}
	return n, lines.Err()
}

func answerCommand() *cobra.Command {
	var key string
	cmd := &cobra.Command{
		Use:   "answer FILE",
		Short: "Answer a challenge, or a drill, with a copy of a private key, on any machine",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ring, err := escrow.ReadRing(key)
			if err != nil {
				return err
			}
			data, err := os.ReadFile(args[0])
			if err != nil {
				return err
			}
			answer, err := answerTo(data, ring)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), answer)
			return err
		},
	}
	cmd.Flags().StringVar(&key, "key", "", "`file` with the copy of the private key")
	_ = cmd.MarkFlagRequired("key")
	return cmd
}

// answerTo answers a challenge or a drill.
func answerTo(data []byte, ring escrow.Ring) (string, error) {
	var asked struct {
		Format string `json:"format"`
	}
	if err := json.Unmarshal(data, &asked); err != nil {
		return "", fmt.Errorf("it is no challenge (%s) and no drill (%s)", escrow.ChallengeFormat, escrow.DrillFormat)
	}
	switch asked.Format {
	case escrow.ChallengeFormat:
		var c escrow.Challenge
		if err := json.Unmarshal(data, &c); err != nil {
			return "", err
		}
		return c.Answer(ring)
	case escrow.DrillFormat:
		var d escrow.Drill
		if err := json.Unmarshal(data, &d); err != nil {
			return "", err
		}
		return d.Answer(ring)
	}
	return "", fmt.Errorf("it is no challenge (%s) and no drill (%s)", escrow.ChallengeFormat, escrow.DrillFormat)
}
