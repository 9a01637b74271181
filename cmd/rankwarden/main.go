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

	"rankwarden.example/internal/kit/manual"
	"rankwarden.example/internal/kit/version"

	"github.com/spf13/cobra"

	"rankwarden.example/client"
	coretext "rankwarden.example/core/text"
)

// Exit statuses.
const (
	exitNo          = 1 // the answer is no: errors in a policy, devices that are not verified
	exitUnusable    = 2 // the command, an option or a file cannot be used
	exitRefused     = 3 // the service refused
	exitUnreachable = 4 // the service does not answer
	exitSignIn      = 5 // sign in first
	exitWaits       = 6 // it waits for somebody else
)

// answerNo ends a command whose answer, already printed, is no.
var errNo = errors.New("no")

// errWaits ends a command that has said for whom it waits.
var errWaits = errors.New("it waits")

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
	if !errors.Is(err, errNo) && !errors.Is(err, errWaits) {
		fmt.Fprintln(os.Stderr, "rankwarden:", explain(err))
	}
	os.Exit(status(err))
}

// status is the exit status for an error. Scripts rely on these numbers; the help lists them.
func status(err error) int {
	var p *client.Problem
	var u unusable
	switch {
	case errors.Is(err, errNo), errors.Is(err, errStrict):
		return exitNo
	case errors.Is(err, errWaits), errors.As(err, &p) && p.Waits != "":
		return exitWaits
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

// explain is what is printed for an error, with the way out where the service could not be reached.
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
		Version: version.Long(),
		Use:     "rankwarden",
		Short:   "Central account policies for fleets of workstations",
		Long: "Write account policies, aim them at groups of workstations, and see what every device really has.\n\n" +
			"Exit status: 0 done; 1 the answer is no (errors in a policy, devices not verified); 2 the command or\n" +
			"a file cannot be used; 3 the service refused; 4 the service does not answer; 5 sign in first; 6 it " +
			"waits for\n" +
			"somebody else to agree.\n\n" +
			"Begin with: rankwarden sign-in --server URL --name NAME. Then: rankwarden watch, rankwarden drift,\n" +
			"rankwarden held. To change something: rankwarden change create NAME, policy save FILE --change NAME,\n" +
			"preview NAME, change apply NAME. Without --change an edit is a change of its own that goes out at once, " +
			"unless\n" +
			"it must be looked at or agreed to first.",
		SilenceUsage: true, SilenceErrors: true,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error { return a.prepare(cmd) },
	}
	f := cmd.PersistentFlags()
	f.StringVar(
		&a.server,
		"server",
		"",
		"`URL` of the service (or RANKWARDEN_SERVER); that of the sign-in when left out",
	)
	f.StringVarP(&a.output, "output", "o", "table", "`format`: table, json, yaml or csv")
	f.BoolVar(&a.json, "json", false, "short for --output json")
	_ = cmd.RegisterFlagCompletionFunc(
		"output",
		cobra.FixedCompletions([]string{"table", "json", "yaml", "csv"}, cobra.ShellCompDirectiveNoFileComp),
	)
	cmd.AddCommand(
		a.signInCommand(),
		a.signOutCommand(),
		a.whoCommand(),
		a.policyCommand(),
		a.groupCommand(),
		a.assignmentCommand(),
		a.draftFromCommand(),
		a.takeOverCommand(),
		a.changeCommand(),
		a.rolloutCommand(),
		a.brakeCommand(),
		a.accountCommand(),
		a.whereCommand(),
		a.freezeCommand(),
		a.thawCommand(),
		a.exportCommand(),
		a.ladderCommand(),
		a.deviceCommand(),
		a.explainCommand(),
		a.enrolmentCommand(),
		a.directoryCommand(),
		a.driftCommand(),
		a.waiverCommand(),
		a.warrantCommand(),
		a.eventsCommand(),
		a.orderCommand(),
		a.trailCommand(),
		a.passwordCommand(),
		a.heldCommand(),
		a.lockedCommand(),
		a.watchCommand(),
		a.waitingCommand(),
		a.reportCommand(),
		a.operatorCommand(),
		a.notificationCommand(),
		a.keyCommand(),
		a.settingsCommand(),
		a.tokenCommand(),
		a.resolveCommand(),
		a.previewCommand(),
		a.whatIfCommand(),
		a.rehearseCommand(),
	)
	manual.AddTo(cmd)
	known(cmd)
	return cmd
}

// known has every command that only holds others refuse an unknown one, instead of printing its help as if
// all were well.
func known(cmd *cobra.Command) {
	for _, sub := range cmd.Commands() {
		known(sub)
	}
	if !cmd.HasSubCommands() || cmd.Runnable() {
		return
	}
	cmd.Args = cobra.ArbitraryArgs
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if len(args) == 0 {
			return cmd.Help()
		}
		hint := "see: " + cmd.CommandPath() + " --help"
		names := namesOf(cmd.Commands(), func(c *cobra.Command) string { return c.Name() })
		if near := coretext.Nearest(args[0], names); near != "" {
			hint = fmt.Sprintf("did you mean %q?", near)
		}
		return unusable{fmt.Errorf("%s has no command %q; %s", cmd.CommandPath(), args[0], hint)}
	}
}
