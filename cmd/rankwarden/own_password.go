package main

import (
	"cmp"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/client"
)

func (a *app) operatorPassword() *cobra.Command {
	var name string
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "password", Short: "Change your own password; your other sessions and your tokens end", Args: cobra.NoArgs,
		Long: "Change your own password. It asks for the one that you have, for the code of a second factor where\n" +
			"there is one, and for the new one. Your sessions and tokens end, this command's too: sign in again.\n\n" +
			"A password that somebody else gave you is changed so before anything else.",
		Example: "  rankwarden operator password\n" +
			"  rankwarden operator password --server http://127.0.0.1:8470 --name kirkness.desk",
		RunE: func(cmd *cobra.Command, _ []string) error {
			kept, err := readSignIn()
			if err != nil {
				return unusable{err}
			}
			server := cmp.Or(a.server, os.Getenv(envServer), kept.Server)
			who := cmp.Or(name, kept.Name)
			if server == "" || who == "" {
				return unusable{errors.New("give the service with --server URL, and your name with --name")}
			}
			return a.changeOwnPassword(cmd, server, who, fromStdin)
		},
	}
	cmd.Flags().StringVar(&name, "name", "", "your `name` as an operator")
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read the password, the code of a second factor where "+
		"there is one, and the new password from standard input, a line each")
	return cmd
}

func (a *app) changeOwnPassword(cmd *cobra.Command, server, who string, fromStdin bool) error {
	ctx := cmd.Context()
	now, err := askPassword(who, fromStdin)
	if err != nil {
		return unusable{err}
	}
	c := client.New(server, "")
	if _, err := signInTo(ctx, c, credentials{who, now, fromStdin}); err != nil {
		return err
	}
	next, err := askNewPassword(fromStdin)
	if err != nil {
		return unusable{err}
	}
	if err := errors.Join(c.ChangeOwnPassword(ctx, now, "", next), c.SignOut(ctx)); err != nil {
		return err
	}
	_, err = fmt.Fprintf(a.out, "The password of %s was changed. Your sessions and tokens have ended; sign in again: "+
		"rankwarden sign-in\n", who)
	return err
}

// askNewPassword asks for a new password, on a terminal twice.
func askNewPassword(fromStdin bool) (string, error) {
	if fromStdin {
		line, err := readLine(stdin)
		if err != nil {
			return "", fmt.Errorf("no new password came from standard input: %w", err)
		}
		return line, nil
	}
	var given [2]string
	for i, prompt := range []string{"New password, 12 characters or more: ", "The same once more: "} {
		fmt.Fprint(os.Stderr, prompt)
		typed, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Fprintln(os.Stderr)
		if err != nil {
			return "", err
		}
		given[i] = string(typed)
	}
	if given[0] != given[1] {
		return "", errors.New("the two are not the same; nothing was changed")
	}
	return given[0], nil
}
