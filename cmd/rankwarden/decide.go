package main

import (
	"context"
	"errors"

	"github.com/spf13/cobra"

	"rankwarden.example/client"
)

// decides gives a command that agrees to something, or refuses it, the option with which a password is read.
func (a *app) decides(cmd *cobra.Command) *cobra.Command {
	cmd.Flags().BoolVar(&a.passwordStdin, "password-stdin", false,
		"read your own password from standard input: a token agrees to nothing")
	return cmd
}

// deciding does what only somebody who has just signed in may: the kept token is that of a program, so the password is
// asked for, and the session ends with the decision.
func (a *app) deciding(ctx context.Context, c *client.Client, do func(c *client.Client) error) error {
	err := do(c)
	var p *client.Problem
	if !errors.As(err, &p) || p.Code != "session_needed" {
		return err
	}
	me, err := c.Me(ctx)
	if err != nil {
		return err
	}
	if me.AtProvider {
		return unusable{errors.New("you sign in with the identity provider; agree, or refuse, in the console")}
	}
	password, err := askPassword(me.Name, a.passwordStdin)
	if err != nil {
		return unusable{err}
	}
	session := c.WithoutToken()
	_, err = session.SignIn(ctx, me.Name, password)
	if client.CodeNeeded(err) {
		code, askErr := askCode(a.passwordStdin)
		if askErr != nil {
			return unusable{askErr}
		}
		_, err = session.SignInWithCode(ctx, me.Name, password, code)
	}
	if err != nil {
		return err
	}
	return errors.Join(do(session), session.SignOut(ctx))
}
