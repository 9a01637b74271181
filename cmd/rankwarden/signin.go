package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// signIn is what is kept of a sign-in, in a file of mode 0600. The password never is.
type signIn struct {
	Server  string `json:"server"`
	Name    string `json:"name"`
	Token   string `json:"token"`
	TokenID string `json:"token_id"`
}

var errSignIn = errors.New("not signed in; run: rankwarden sign-in --server URL --name NAME")

const (
	envServer = "RANKWARDEN_SERVER"
	envToken  = "RANKWARDEN_TOKEN"
)

func signInPath() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf(
			"no place to keep the sign-in: %w; set HOME, or use RANKWARDEN_SERVER and RANKWARDEN_TOKEN",
			err,
		)
	}
	return filepath.Join(dir, "rankwarden", "sign-in.json"), nil
}

// readSignIn reads the stored sign-in; the zero value where there is none.
func readSignIn() (signIn, error) {
	var s signIn
	path, err := signInPath()
	if err != nil {
		return s, err
	}
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, fmt.Errorf("reading the sign-in: %w", err)
	}
	if err := json.Unmarshal(data, &s); err != nil {
		return s, fmt.Errorf("%s cannot be read: %w; sign in again", path, err)
	}
	return s, nil
}

// write stores the sign-in, readable for this user alone, and gives the path.
func (s signIn) write() (string, error) {
	path, err := signInPath()
	if err != nil {
		return "", err
	}
	data, err := json.Marshal(s)
	if err != nil {
		return "", fmt.Errorf("keeping the sign-in: %w", err)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", fmt.Errorf("keeping the sign-in: %w", err)
	}
	if err := os.WriteFile(path, data, 0o600); err != nil {
		return "", fmt.Errorf("keeping the sign-in: %w", err)
	}
	return path, os.Chmod(path, 0o600) // also when it was there before
}

// connect gives a client for whoever is signed in; the environment beats what is kept.
func (a *app) connect() (*client.Client, error) {
	kept, err := readSignIn()
	if err != nil {
		return nil, unusable{err}
	}
	server, token := kept.Server, kept.Token
	if s := os.Getenv(envServer); s != "" {
		server = s
	}
	if a.server != "" {
		server = a.server
	}
	if t := os.Getenv(envToken); t != "" {
		token = t
	} else if server != kept.Server {
		token = "" // a kept token is for its own service only
	}
	if server == "" || token == "" {
		return nil, errSignIn
	}
	c := client.New(server, token).Look(a.look)
	return c.Expect(client.Seen{Digest: a.door.expect, Reason: a.door.reason}), nil
}

func (a *app) signInCommand() *cobra.Command {
	var name string
	var hours int
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "sign-in", Short: "Sign in to a service and store a token for it", Args: cobra.NoArgs,
		Long: "Sign in to a service and store a token for it. Without --name you sign in in the console, in\n" +
			"whatever way you do there: the command shows a code, and waits until you allow it. With --name it\n" +
			"asks for your password, and for the code of a second factor.",
		Example: "  rankwarden sign-in --server http://127.0.0.1:8470\n  rankwarden sign-in --server " +
			"http://127.0.0.1:8470 --name harbourmaster",
		RunE: func(cmd *cobra.Command, _ []string) error {
			server := a.server
			if server == "" {
				server = os.Getenv(envServer)
			}
			if server == "" {
				return unusable{errors.New("give the service with --server URL")}
			}
			if name == "" {
				return a.askInConsole(cmd.Context(), server, hours)
			}
			password, err := askPassword(name, fromStdin)
			if err != nil {
				return unusable{err}
			}
			return a.keepSignIn(cmd.Context(), server, credentials{name, password, fromStdin}, hours)
		},
	}
	cmd.Flags().StringVar(&name, "name", "", "your `name` as an operator")
	cmd.Flags().IntVar(&hours, "hours", 12, "how long the token lives, in `hours`")
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false,
		"read the password from standard input, and on the next line the code of a second factor")
	return cmd
}

// credentials are what somebody gave, and where a code would come from.
type credentials struct {
	name, password string
	fromStdin      bool
}

// signInTo signs in, and asks for the code of who has a second factor.
func signInTo(ctx context.Context, c *client.Client, given credentials) (api.Me, error) {
	me, err := c.SignIn(ctx, given.name, given.password)
	if !client.CodeNeeded(err) {
		return me, err
	}
	code, err := askCode(given.fromStdin)
	if err != nil {
		return me, unusable{err}
	}
	return c.SignInWithCode(ctx, given.name, given.password, code)
}

// askInConsole gets a token that somebody allows in the console (RFC 8628).
func (a *app) askInConsole(ctx context.Context, server string, hours int) error {
	c := client.New(server, "")
	host, _ := os.Hostname() // only a note for the reader
	asked, err := c.AskForToken(ctx, "rankwarden command on "+host, hours)
	if err != nil {
		return err
	}
	a.notice("Open this page, and allow the code %s:\n  %s\nWaiting ...\n", asked.UserCode, asked.WholePage)
	token, err := c.AwaitToken(ctx, asked)
	if err != nil {
		return err
	}
	me, err := client.New(server, token.Secret).Me(ctx)
	if err != nil {
		return err
	}
	return a.keepToken(server, me, token, hours)
}

// keepSignIn signs in with a password, makes a token for this command, and ends the session: only the token is kept,
// which can be revoked by itself.
func (a *app) keepSignIn(ctx context.Context, server string, given credentials, hours int) error {
	c := client.New(server, "")
	me, err := signInTo(ctx, c, given)
	if err != nil {
		return err
	}
	if me.MustChange {
		return fmt.Errorf("somebody else gave you this password; change it first: rankwarden operator password "+
			"--server %s --name %s", server, given.name)
	}
	if me.NeedsFactor {
		return errors.New("everybody here needs a second factor: set one up in the console first, at " + server + "/me")
	}
	host, _ := os.Hostname() // only a note for the reader
	token, err := c.CreateToken(ctx, "rankwarden command on "+host, "", hours)
	if err != nil {
		return err
	}
	if err := c.SignOut(ctx); err != nil {
		return err
	}
	return a.keepToken(server, me, token, hours)
}

// keepToken stores a token, and says so.
func (a *app) keepToken(server string, me api.Me, token api.NewToken, hours int) error {
	path, err := signIn{Server: server, Name: me.Name, Token: token.Secret, TokenID: token.ID}.write()
	if err != nil {
		return unusable{err}
	}
	fmt.Fprintf(
		a.out,
		"Signed in to %s as %s (%s) for %s.\nThe token is stored in %s.\n",
		me.Organisation,
		me.Name,
		roleWords(me.Roles),
		plural(hours, "hour", "hours"),
		path,
	)
	return nil
}

// stdin is read line by line: a password, and then perhaps a code.
var stdin = bufio.NewReader(os.Stdin)

func readLine(in *bufio.Reader) (string, error) {
	line, err := in.ReadString('\n')
	if line != "" {
		err = nil
	}
	return strings.TrimRight(line, "\r\n"), err
}

// roleWords says which roles somebody has, and where.
func roleWords(roles []api.Role) string {
	words := make([]string, len(roles))
	for i, r := range roles {
		words[i] = r.Role
		if len(r.Groups) > 0 {
			words[i] += " on " + strings.Join(r.Groups, ", ")
		}
	}
	return strings.Join(words, ", ")
}

// askPassword asks for a password on the terminal without echo, or takes a line of standard input. A password is
// never taken from a flag, which other users of the machine could see.
func askPassword(name string, fromStdin bool) (string, error) {
	return askHidden("password", "Password of "+name+": ", "--password-stdin", fromStdin)
}

// askHidden asks for something that is not shown while it is typed, unless it comes from standard input.
func askHidden(what, question, option string, fromStdin bool) (string, error) {
	if fromStdin {
		line, err := readLine(stdin)
		if err != nil {
			return "", fmt.Errorf("no %s came from standard input: %w", what, err)
		}
		return line, nil
	}
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return "", fmt.Errorf("there is no terminal to ask for the %s; use %s", what, option)
	}
	fmt.Fprint(os.Stderr, question)
	typed, err := term.ReadPassword(int(os.Stdin.Fd()))
	fmt.Fprintln(os.Stderr)
	return string(typed), err
}

// askCode asks for the code of a second factor; from standard input it is the line after the password.
func askCode(fromStdin bool) (string, error) {
	if !fromStdin {
		if !term.IsTerminal(int(os.Stdin.Fd())) {
			return "", errors.New(
				"there is no terminal to ask for the code; use --password-stdin, and give the code on the line after " +
					"it",
			)
		}
		fmt.Fprint(os.Stderr, "Code of your authenticator, or a recovery code: ")
	}
	line, err := readLine(stdin)
	if err != nil {
		return "", fmt.Errorf(
			"a code is needed, and none came from standard input; give it on the line after the password: %w",
			err,
		)
	}
	return strings.TrimSpace(line), nil
}

func (a *app) signOutCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sign-out", Short: "Revoke the stored token and delete it", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			kept, err := readSignIn()
			if err != nil {
				return unusable{err}
			}
			if kept.Token == "" {
				return errSignIn
			}
			path, err := signInPath()
			if err != nil {
				return unusable{err}
			}
			revoked := client.New(kept.Server, kept.Token).RevokeToken(cmd.Context(), kept.TokenID)
			if err := os.Remove(path); err != nil {
				return unusable{err}
			}
			if revoked != nil {
				return fmt.Errorf(
					"the token is forgotten here, but the service did not revoke it; it ends by itself: %w",
					revoked,
				)
			}
			fmt.Fprintln(a.out, "Signed out; the token is revoked.")
			return nil
		},
	}
}

func (a *app) whoCommand() *cobra.Command {
	return &cobra.Command{
		Use: "whoami", Short: "Show who is signed in, and to which service", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			me, err := c.Me(cmd.Context())
			if err != nil {
				return err
			}
			return a.one(me, func() error {
				_, err := fmt.Fprintf(a.out, "%s (%s), %s\n", me.Name, roleWords(me.Roles), me.Organisation)
				return err
			})
		},
	}
}
