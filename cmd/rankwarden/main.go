// Command rankwarden is the operators' client of Rank Warden.
package main

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"rankwarden.example/client"
)

// Exit statuses.
const (
	exitNo          = 1 // the answer is no: errors in a policy, devices that are not verified
	exitUnusable    = 2 // the command, an option or a file cannot be used
	exitRefused     = 3 // the service refused
	exitUnreachable = 4 // the service does not answer
	exitSignIn      = 5 // sign in first
)

// answerNo ends a command whose answer, already printed, is no.
var errNo = errors.New("no")

// unusable marks errors of the command line and of files.
type unusable struct{ error }

func (u unusable) Unwrap() error { return u.error }

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	err := root().ExecuteContext(ctx)
	stop()
	if err == nil {
		return
	}
	if !errors.Is(err, errNo) {
		fmt.Fprintln(os.Stderr, "rankwarden:", explain(err))
	}
	os.Exit(status(err))
}

func status(err error) int {
	var p *client.Problem
	var u unusable
	switch {
	case errors.Is(err, errNo):
		return exitNo
	case errors.As(err, &u):
		return exitUnusable
	case errors.Is(err, errSignIn), errors.As(err, &p) && p.Status == http.StatusUnauthorized:
		return exitSignIn
	case errors.As(err, &p):
		return exitRefused
	case errors.Is(err, client.ErrUnreachable):
		return exitUnreachable
	}
	return exitUnusable // cobra's own errors are of the command line
}

func explain(err error) string {
	switch {
	case errors.Is(err, context.Canceled):
		return "interrupted"
	case errors.Is(err, client.ErrUnreachable):
		return err.Error() + "\nStart the service, or give its address with --server or RANKWARDEN_SERVER."
	}
	return err.Error()
}

func root() *cobra.Command {
	a := &app{}
	cmd := &cobra.Command{
		Use:   "rankwarden",
		Short: "Central account policies for fleets of workstations",
		Long: "Write account policies, aim them at groups of workstations, and see what every device really has.\n\n" +
			"Exit status: 0 done; 1 the answer is no (errors in a policy, devices not verified); 2 the command or a\n" +
			"file cannot be used; 3 the service refused; 4 the service does not answer; 5 sign in first.",
		SilenceUsage: true, SilenceErrors: true,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error { return a.prepare(cmd) },
	}
	f := cmd.PersistentFlags()
	f.StringVar(&a.server, "server", "", "`URL` of the service (or RANKWARDEN_SERVER); that of the sign-in when left out")
	f.StringVarP(&a.output, "output", "o", "table", "table, json, yaml or csv")
	_ = cmd.RegisterFlagCompletionFunc("output", cobra.FixedCompletions([]string{"table", "json", "yaml", "csv"}, cobra.ShellCompDirectiveNoFileComp))
	cmd.AddCommand(a.signInCommand(), a.signOutCommand(), a.whoCommand(), a.policyCommand(), a.groupCommand(), a.assignmentCommand(),
		a.deviceCommand(), a.explainCommand(), a.enrolmentCommand(), a.directoryCommand(), a.driftCommand(), a.eventsCommand(), a.orderCommand(), a.passwordCommand(), a.watchCommand(), a.resolveCommand())
	return cmd
}
