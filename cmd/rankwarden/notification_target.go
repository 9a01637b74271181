package main

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// eventKinds are the kinds of events that a target can be told of.
var eventKinds = []string{
	"finding_opened", "finding_corrected", "finding_closed", "device_held", "device_silent", "password_viewed",
	"rollout_stopped", "edit_braked", "administrators_altered", "accounts_altered", "contested_by_somebody",
	"approval_asked", "approved", "refused", "database_returned",
	"service_frozen", "checkpoint_signed", "trail_broken", "sealed_owner_used",
	"attempt_refused", "trail_entry",
}

func (a *app) targetList() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "list", Short: "List notification targets by name", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.NotificationTarget], error) {
				return c.NotificationTargets(cmd.Context(), p)
			})
			if err != nil {
				return err
			}
			return list(a, items, "No notification targets. Create one: rankwarden notification target create",
				column[api.NotificationTarget]{title: "Target",
					value: func(t api.NotificationTarget) string { return t.Name }},
				column[api.NotificationTarget]{title: "Kind",
					value: func(t api.NotificationTarget) string { return t.Kind }},
				column[api.NotificationTarget]{title: "Address", wrap: 1,
					value: func(t api.NotificationTarget) string { return t.Address }},
				column[api.NotificationTarget]{title: "Events", wrap: 1,
					value: func(t api.NotificationTarget) string { return strings.Join(t.Events, ", ") }},
				column[api.NotificationTarget]{title: "Waiting", right: true,
					value: func(t api.NotificationTarget) string { return fmt.Sprint(t.Waiting) }},
				column[api.NotificationTarget]{title: "Failed", right: true,
					value: func(t api.NotificationTarget) string { return fmt.Sprint(t.Failed) }},
				column[api.NotificationTarget]{title: "State", wrap: 1, value: a.targetState,
					paint: func(t api.NotificationTarget) text.Colors {
						if t.Failures > 0 {
							return text.Colors{text.FgRed}
						}
						return nil
					}},
			)
		},
	})
}

// targetState says how deliveries to a target go.
func (a *app) targetState(t api.NotificationTarget) string {
	switch {
	case !t.Enabled:
		return "off"
	case t.Failures > 0 && t.NextAttempt != nil:
		return fmt.Sprintf("%s; next attempt %s", t.Error, a.when(*t.NextAttempt))
	case t.DeliveredAt != nil:
		return "delivered " + a.when(*t.DeliveredAt)
	}
	return "nothing delivered yet"
}

func (a *app) targetShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "Show a notification target", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, t, err := a.target(cmd, args[0])
			if err != nil {
				return err
			}
			lines := [][2]string{{"kind", t.Kind}, {"address", t.Address}, {"events", strings.Join(t.Events, ", ")},
				{"groups", cmp.Or(strings.Join(t.Groups, ", "), "every device")}, {"from", t.From},
				{"to", strings.Join(t.To, ", ")},
				{"user", t.User}, {"state", a.targetState(t)}, {"waiting", fmt.Sprint(t.Waiting)},
				{"failed", fmt.Sprint(t.Failed)},
				{"created", a.when(t.CreatedAt) + " by " + t.CreatedBy}}
			var b strings.Builder
			fmt.Fprintln(&b, t.Name)
			for _, line := range lines {
				if line[1] != "" {
					fmt.Fprintf(&b, "  %-9s %s\n", line[0], line[1])
				}
			}
			return a.did(t, "%s", b.String())
		},
	}
}

// target connects, and reads a target.
func (a *app) target(cmd *cobra.Command, name string) (*client.Client, api.NotificationTarget, error) {
	c, err := a.connect()
	if err != nil {
		return nil, api.NotificationTarget{}, err
	}
	t, err := c.NotificationTarget(cmd.Context(), name)
	return c, t, err
}

// targetFlags are what one says of a target.
type targetFlags struct {
	spec                       api.NotificationTargetSpec
	off, passwordStdin         bool
	caFile                     string
	events, groups, recipients []string
}

func (f *targetFlags) add(cmd *cobra.Command) {
	flags := cmd.Flags()
	flags.StringVar(&f.spec.Address, "address", "",
		"`URL` of a webhook; tls://HOST:PORT or tcp:// of syslog; smtp://HOST:PORT, smtps:// or smtp+clear:// of a "+
			"mail server")
	flags.StringSliceVar(&f.events, "event", nil,
		"`KIND` of event to tell of; may be repeated. Kinds: "+strings.Join(eventKinds, ", "))
	flags.StringSliceVar(&f.groups, "group", nil, "only of devices in this `group`; may be repeated")
	flags.StringVar(&f.spec.From, "from", "", "mail `address` that it comes from")
	flags.StringSliceVar(&f.recipients, "to", nil, "mail `address` that it goes to; may be repeated")
	flags.StringVar(&f.spec.User, "user", "", "`name` to sign in to the mail server with")
	flags.BoolVar(&f.passwordStdin, "password-stdin", false, "read the password of the mail server from standard input")
	flags.StringVar(&f.caFile, "ca", "", "`file` of certificates in PEM to trust instead of the system's")
	flags.BoolVar(&f.off, "off", false, "deliver nothing for now")
	_ = cmd.RegisterFlagCompletionFunc("event", cobra.FixedCompletions(eventKinds, cobra.ShellCompDirectiveNoFileComp))
}

// into puts what was said into a spec.
func (f *targetFlags) into(cmd *cobra.Command, spec *api.NotificationTargetSpec) error {
	given := cmd.Flags().Changed
	for flag, set := range map[string]func(){
		"address": func() { spec.Address = f.spec.Address }, "event": func() { spec.Events = f.events },
		"group": func() { spec.Groups = f.groups }, "from": func() { spec.From = f.spec.From },
		"to": func() { spec.To = f.recipients }, "user": func() { spec.User = f.spec.User },
		"off": func() { spec.Enabled = !f.off },
	} {
		if given(flag) {
			set()
		}
	}
	if given("ca") {
		data, err := os.ReadFile(f.caFile)
		if err != nil {
			return unusable{fmt.Errorf("--ca: %w", err)}
		}
		spec.CA = string(data)
	}
	if f.passwordStdin {
		password, err := askPassword("the mail server", true)
		if err != nil {
			return unusable{err}
		}
		spec.Password = &password
	}
	return nil
}

// secretWords tell a secret once.
func secretWords(secret string) string {
	if secret == "" {
		return ""
	}
	return "Requests are signed (RFC 9421, hmac-sha256) with this secret, which is shown this once:\n\n    " + secret +
		"\n\n"
}

func (a *app) targetCreate() *cobra.Command {
	var f targetFlags
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Create a notification target", Args: cobra.ExactArgs(1),
		Example: "  rankwarden notification target create desk --kind webhook --address " +
			"https://desk.skerryline.example/warden \\\n" +
			"    --event password_viewed --event rollout_stopped\n" +
			"  rankwarden notification target create archive --kind syslog --address " +
			"tls://logs.skerryline.example:6514 --event trail_entry",
		RunE: func(cmd *cobra.Command, args []string) error {
			spec := api.NotificationTargetSpec{Kind: f.spec.Kind, Enabled: true, Events: []string{}, Groups: []string{},
				To: []string{}}
			if err := f.into(cmd, &spec); err != nil {
				return err
			}
			if spec.Kind == "" || spec.Address == "" || len(spec.Events) == 0 {
				return unusable{errors.New("give --kind, --address and at least one --event")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			t, err := c.CreateNotificationTarget(cmd.Context(), args[0], spec)
			if err != nil {
				return err
			}
			return a.did(t, "Created %s.\n%sTest it: rankwarden notification target test %s\n", t.Name,
				secretWords(t.Secret), t.Name)
		},
	}
	f.add(cmd)
	cmd.Flags().StringVar(&f.spec.Kind, "kind", "", "`webhook`, syslog or mail")
	_ = cmd.RegisterFlagCompletionFunc("kind",
		cobra.FixedCompletions([]string{"webhook", "syslog", "mail"}, cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

func (a *app) targetEdit() *cobra.Command {
	var f targetFlags
	var newSecret, on bool
	cmd := &cobra.Command{
		Use: "edit NAME", Short: "Edit a notification target; what is not given stays", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, t, err := a.target(cmd, args[0])
			if err != nil {
				return err
			}
			spec := api.NotificationTargetSpec{Kind: t.Kind, Address: t.Address, Events: t.Events, Groups: t.Groups,
				Enabled: t.Enabled || on,
				From:    t.From, To: t.To, User: t.User, CA: t.CA, NewSecret: newSecret}
			if err := f.into(cmd, &spec); err != nil {
				return err
			}
			edited, err := c.EditNotificationTarget(cmd.Context(), args[0], t.Version, spec)
			if err != nil {
				return err
			}
			return a.did(edited, "Edited %s.\n%s", edited.Name, secretWords(edited.Secret))
		},
	}
	f.add(cmd)
	cmd.Flags().BoolVar(&newSecret, "new-secret", false, "make a new secret for a webhook; the old one ends at once")
	cmd.Flags().BoolVar(&on, "on", false, "deliver again")
	cmd.MarkFlagsMutuallyExclusive("on", "off")
	return cmd
}

func (a *app) targetDelete() *cobra.Command {
	return &cobra.Command{
		Use: "delete NAME", Short: "Delete a notification target, with its deliveries", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, t, err := a.target(cmd, args[0])
			if err != nil {
				return err
			}
			if err := c.DeleteNotificationTarget(cmd.Context(), args[0], t.Version); err != nil {
				return err
			}
			return a.did(done{"deleted", t.Name}, "Deleted %s.\n", t.Name)
		},
	}
}

func (a *app) targetTest() *cobra.Command {
	return &cobra.Command{
		Use: "test NAME", Short: "Send a test message to a notification target now", Args: cobra.ExactArgs(1),
		Long: "Send a test message to a notification target now.\n\nExit status: 0 when it arrived, 1 when not.",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			out, err := c.TestNotificationTarget(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if !out.Arrived {
				return fmt.Errorf("the test message did not arrive at %s: %s", args[0], out.Error)
			}
			return a.did(out, "The test message arrived at %s.\n", args[0])
		},
	}
}
