package main

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/demo/fleetsim"
)

// handsFile is the socket of a running demo, in its directory. A path of a socket is short, so the
// directory must not lie too deep.
const handsFile = "hands"

func mistypeCommand() *cobra.Command {
	var h fleetsim.Hands
	cmd := &cobra.Command{
		Use:     "mistype DEVICE",
		Short:   "Type a wrong password at a device of the running demo, and see the lock arrive",
		Args:    cobra.ExactArgs(1),
		Example: "  rankwardend demo mistype SKL-TKT-002 --account mooring --times 10",
		RunE: func(cmd *cobra.Command, args []string) error {
			h.Device = args[0]
			return handsOn(cmd, h)
		},
	}
	cmd.Flags().StringVar(&h.Account, "account", "mooring", "the `account`'s name, or the beginning of it")
	cmd.Flags().IntVar(&h.Times, "times", 10, "`number` of times")
	return cmd
}

func useCommand() *cobra.Command {
	var h fleetsim.Hands
	cmd := &cobra.Command{
		Use:   "use DEVICE",
		Short: "Sign in at a device of the running demo; the password is asked for",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			h.Device = args[0]
			if term.IsTerminal(int(os.Stdin.Fd())) {
				fmt.Fprintf(os.Stderr, "Password of %s on %s: ", h.Account, h.Device)
				typed, err := term.ReadPassword(int(os.Stdin.Fd()))
				fmt.Fprintln(os.Stderr)
				if err != nil {
					return err
				}
				h.Password = string(typed)
			} else {
				line, _ := bufio.NewReader(os.Stdin).ReadString('\n') // an empty line is refused below
				h.Password = strings.TrimRight(line, "\r\n")
			}
			if h.Password == "" {
				return fmt.Errorf("no password was given")
			}
			return handsOn(cmd, h)
		},
	}
	cmd.Flags().StringVar(&h.Account, "account", "mooring", "the `account`'s name, or the beginning of it")
	return cmd
}

func handsOn(cmd *cobra.Command, h fleetsim.Hands) error {
	dir, err := cmd.Flags().GetString("data")
	if err != nil {
		return err
	}
	done, err := fleetsim.Ask(cmd.Context(), filepath.Join(dir, handsFile), h)
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s on %s: %s\n", done.Name, strings.ToUpper(h.Device), done.Said)
	return nil
}
