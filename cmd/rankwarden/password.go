package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) passwordCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "password", Short: "Stored passwords: list them, and view one with a reason"}
	cmd.AddCommand(
		a.passwordList(),
		a.passwordShow(),
		a.passwordDeposits(),
		a.passwordViews(),
		a.passwordReaders(),
		a.passwordApprovals(),
		a.passwordApprove(),
		a.passwordSheet(),
		a.passwordSheets(),
		a.passwordApproveSheet(),
		a.passwordOpenSheet(),
		a.passwordSheetKey(),
	)
	return cmd
}

func (a *app) passwordList() *cobra.Command {
	var q client.PasswordQuery
	var most int
	cmd := &cobra.Command{
		Use: "list [SEARCH]", Short: "List stored passwords by account, without showing them",
		Args:    cobra.MaximumNArgs(1),
		Example: "  rankwarden password list mooring-4\n  rankwarden password list --overdue",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			q.Search = strings.Join(args, "")
			items, err := atMost(
				most,
				func(p client.Page) (client.List[api.Password], error) { return c.Passwords(cmd.Context(), q, p) },
			)
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No stored password matches.",
				column[api.Password]{title: "Device", value: func(p api.Password) string { return p.Device }},
				column[api.Password]{title: "Account", value: func(p api.Password) string { return p.Account }},
				column[api.Password]{title: "Name", value: func(p api.Password) string { return p.Name }},
				column[api.Password]{
					title: "Last rotated",
					value: func(p api.Password) string { return a.sometime(p.ChangedAt, "never") },
				},
				column[api.Password]{title: "Next", value: func(p api.Password) string { return a.nextChange(p) }},
				column[api.Password]{title: "Viewed by", value: func(p api.Password) string { return p.ShownBy }},
			)
		},
	}
	cmd.Flags().StringVar(&q.Group, "group", "", "only of the devices of this `group`")
	cmd.Flags().BoolVar(&q.Unrecovered, "unrecovered", false, "only those without a copy sealed to a recovery key")
	cmd.Flags().BoolVar(&q.Overdue, "overdue", false, "only those whose time has passed")
	cmd.Flags().BoolVar(&q.Retired, "retired", false, "of retired devices instead, while these are kept")
	cmd.Flags().IntVar(&most, "most", 50, "list at most this `number`; 0 for all")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return ofList(cmd)
}

func (a *app) sometime(at *time.Time, never string) string {
	if at == nil {
		return never
	}
	return a.when(*at)
}

func (a *app) nextChange(p api.Password) string {
	switch {
	case p.Changing:
		return "rotating now"
	case p.EveryMinutes == nil:
		return "no rotation"
	}
	return a.sometime(p.NextAt, "when the device reports")
}

func (a *app) passwordShow() *cobra.Command {
	var spec api.RevealSpec
	var former string
	var print, fromStdin bool
	cmd := &cobra.Command{
		Use: "show DEVICE", Short: "Show the stored password of an account of a device", Args: cobra.ExactArgs(1),
		Long: "Show the password of an account of a device. The reason goes on the audit trail first. While a\n" +
			"rotation is in progress, every password that may be the right one is shown, newest first.\n\n" +
			"It is printed to a terminal only, unless --print is given.",
		Example: "  rankwarden password show SKL-TKT-004 --reason \"ticket 4711, printer driver\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if !print && !term.IsTerminal(int(os.Stdout.Fd())) {
				return unusable{errors.New("a password is printed to a terminal only; give --print to print it anyway")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if former != "" {
				if spec.Former, err = depositRef(former); err != nil {
					return unusable{err}
				}
			}
			if spec.Reason == "" {
				if spec.Reason, err = askLine("Reason (recorded in the audit trail): "); err != nil {
					return unusable{err}
				}
			}
			var shown api.RevealResult
			err = a.freshly(cmd.Context(), c, fromStdin, func() (err error) {
				shown, err = c.Reveal(cmd.Context(), args[0], spec)
				return err
			})
			if err != nil {
				return err
			}
			return a.one(shown, func() error { return a.printRevealed(shown) })
		},
	}
	f := cmd.Flags()
	f.StringVar(&spec.Account, "account", "", "the `account`, by key or name; may be left out where the device has one")
	f.StringVar(&spec.Reason, "reason", "", "`reason` for the audit trail; asked for when left out")
	f.StringVar(&former, "former", "", "a former password, `EPOCH.NUMBER` as password deposits lists them")
	f.BoolVar(&print, "print", false, "print it also where the output is not a terminal")
	f.BoolVar(&fromStdin, "password-stdin", false, "read your own password from standard input, should it be asked for")
	return cmd
}

// freshly does what needs a sign-in of the last minutes, and asks for your own password where it is none any more.
func (a *app) freshly(ctx context.Context, c *client.Client, fromStdin bool, do func() error) error {
	err := do()
	var p *client.Problem
	if !errors.As(err, &p) || p.Code != "sign_in_again" {
		return err
	}
	me, err := c.Me(ctx)
	if err != nil {
		return err
	}
	password, err := askPassword(me.Name, fromStdin)
	if err != nil {
		return unusable{err}
	}
	err = c.SignInAgain(ctx, password)
	if client.CodeNeeded(err) {
		code, askErr := askCode(fromStdin)
		if askErr != nil {
			return unusable{askErr}
		}
		err = c.SignInAgainWithCode(ctx, password, code)
	}
	if err != nil {
		return err
	}
	return do()
}

// printRevealed prints every password that may be the right one, the newest first, with how long it is good.
func (a *app) printRevealed(r api.RevealResult) error {
	fmt.Fprintf(a.out, "%s on %s (%s)\n", r.Password.Name, r.Password.Device, r.Password.SID)
	if r.Password.Disabled {
		fmt.Fprintln(a.out, "The account is disabled, as the device said last: the password opens nothing.")
	}
	if len(r.Candidates) > 1 {
		fmt.Fprintln(a.out, "A rotation is in progress. One of these is the right one; try the newest first.")
	}
	for _, c := range r.Candidates {
		fmt.Fprintf(a.out, "\n    %s\n\n", c.Password)
		if len(r.Candidates) > 1 || c.Deposit.State == "former" {
			fmt.Fprintf(
				a.out,
				"    as %s, %s, deposit %d.%d of %s\n",
				c.Deposit.Name,
				c.Deposit.State,
				c.Deposit.Epoch,
				c.Deposit.Number,
				a.when(c.Deposit.DepositedAt),
			)
		}
	}
	fmt.Fprintf(a.out, "Changed %s; next %s.\n", a.sometime(r.Password.ChangedAt, "never"), a.nextChange(r.Password))
	if r.RotatesAt != nil {
		fmt.Fprintf(a.out, "Because you viewed it, it rotates %s.\n", a.when(*r.RotatesAt))
	}
	return nil
}

func depositRef(s string) (*api.DepositRef, error) {
	epoch, number, _ := strings.Cut(s, ".")
	e, errE := strconv.ParseInt(epoch, 10, 64)
	n, errN := strconv.ParseInt(number, 10, 64)
	if errE != nil || errN != nil {
		return nil, fmt.Errorf("%q names no deposit; write EPOCH.NUMBER, as password deposits lists them", s)
	}
	return &api.DepositRef{Epoch: e, Number: n}, nil
}

func (a *app) passwordDeposits() *cobra.Command {
	type row struct {
		api.Deposit
		Account string `json:"account"`
	}
	return ofList(&cobra.Command{
		Use:   "deposits DEVICE",
		Short: "List the stored passwords of a device, newest first, without showing them",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			passwords, err := c.DevicePasswords(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			var rows []row
			for _, p := range passwords {
				for _, d := range p.Deposits {
					rows = append(rows, row{d, p.Account})
				}
			}
			return list(
				a,
				rows,
				"No stored passwords for that device.",
				column[row]{
					title: "Deposit",
					value: func(r row) string { return fmt.Sprintf("%d.%d", r.Epoch, r.Number) },
				},
				column[row]{title: "Account", value: func(r row) string { return r.Account }},
				column[row]{title: "Name", value: func(r row) string { return r.Name }},
				column[row]{title: "State", value: func(r row) string { return r.State }},
				column[row]{title: "Deposited", value: func(r row) string { return a.when(r.DepositedAt) }},
				column[row]{
					title: "Reason",
					value: func(r row) string { return strings.ReplaceAll(r.Reason, "_", " ") },
				},
				column[row]{title: "Decided by", value: func(r row) string { return r.Policy }},
			)
		},
	})
}

func (a *app) passwordViews() *cobra.Command {
	var most int
	var past pastFlags
	cmd := &cobra.Command{
		Use: "views [DEVICE]", Short: "List views of passwords: who, when and why, latest first",
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			since, until, err := past.times(a.now)
			if err != nil {
				return err
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.Reveal], error) {
				return c.Reveals(
					cmd.Context(),
					client.PastQuery{Device: strings.Join(args, ""), Since: since, Until: until},
					p,
				)
			})
			if err != nil {
				return err
			}
			return list(a, items, "No views.",
				column[api.Reveal]{title: "Viewed", value: func(r api.Reveal) string { return a.when(r.At) }},
				column[api.Reveal]{title: "By", value: func(r api.Reveal) string { return r.Operator }},
				column[api.Reveal]{title: "Device", value: func(r api.Reveal) string { return r.Device }},
				column[api.Reveal]{title: "Account", value: func(r api.Reveal) string { return r.Account }},
				column[api.Reveal]{title: "Reason", wrap: 1, value: func(r api.Reveal) string { return r.Reason }})
		},
	}
	past.add(cmd)
	cmd.Flags().IntVar(&most, "most", 50, "list at most this `number`; 0 for all")
	return ofList(cmd)
}

func (a *app) passwordApprovals() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "approvals", Short: "List requests that wait for the approval of a second person", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(
				0,
				func(p client.Page) (client.List[api.Approval], error) { return c.Approvals(cmd.Context(), p) },
			)
			if err != nil {
				return err
			}
			return list(a, items, "No approvals are pending.",
				column[api.Approval]{title: "Request", value: func(r api.Approval) string { return r.ID }},
				column[api.Approval]{title: "By", value: func(r api.Approval) string { return r.AskedBy }},
				column[api.Approval]{title: "Device", value: func(r api.Approval) string { return r.Device }},
				column[api.Approval]{title: "Account", value: func(r api.Approval) string { return r.Account }},
				column[api.Approval]{title: "Reason", wrap: 1, value: func(r api.Approval) string { return r.Reason }},
				column[api.Approval]{title: "State", value: func(r api.Approval) string {
					if r.Approved {
						return "approved by " + r.DecidedBy
					}
					return "waits until " + a.when(r.EndsAt)
				}})
		},
	})
}

func (a *app) passwordApprove() *cobra.Command {
	var decline bool
	cmd := &cobra.Command{
		Use:   "approve REQUEST",
		Short: "Approve that an operator views a password beyond their budget",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := a.deciding(cmd.Context(), c, func(c *client.Client) error {
				return c.DecideReveal(cmd.Context(), args[0], !decline)
			}); err != nil {
				return err
			}
			return a.did(
				done{map[bool]string{false: "approved", true: "declined"}[decline], args[0]},
				"%s\n",
				map[bool]string{false: "Approved; it can be viewed once within an hour.", true: "Declined."}[decline],
			)
		},
	}
	cmd.Flags().BoolVar(&decline, "decline", false, "decline it instead")
	return a.decides(cmd)
}

// askLine asks a question at the terminal.
func askLine(question string) (string, error) {
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return "", errors.New("there is no terminal to ask for the reason; use --reason")
	}
	fmt.Fprint(os.Stderr, question)
	return readLine(stdin)
}
