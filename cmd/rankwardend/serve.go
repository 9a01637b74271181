package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/knadh/koanf/parsers/yaml"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/providers/file"
	"github.com/knadh/koanf/providers/posflag"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"rankwarden.example/console"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/auth"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/room/retention"
	"rankwarden.example/internal/store"
)

const envPrefix = "RANKWARDEN_"

// escrowEnv may hold the private escrow keys themselves, instead of a file.
const escrowEnv = "RANKWARDEN_ESCROW_KEYS_JSON"

func serveCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve the operators' interface, the device protocol and the console", Args: cobra.NoArgs,
		Long: "Serve the operators' interface, the device protocol and the console.\n\n" +
			"Every option can also stand in the file named by --config, by its name, or in the environment as\n" +
			envPrefix + "NAME with _ for -. A flag beats the environment, which beats the file.\n\n" +
			"Create the service's keys once, before the first start: rankwardend keys new --service.\n" +
			"At the first start, with no operator yet, the owner named by --first-owner is created, and the password " +
			"is\n" +
			"written to --first-password, a file that only you can read. See rankwardend owner reset when it is " +
			"lost.\n\n" +
			"Devices change passwords once an escrow key is live, see rankwardend keys. The private escrow keys are " +
			"read from\n" +
			"--escrow-keys, or from " + escrowEnv + ", which holds what would stand in that file.",
		RunE: serve,
	}
	f := cmd.Flags()
	f.String("config", "", "file with options, in YAML")
	f.String("listen", "127.0.0.1:8470", "address to listen on, `HOST:PORT`")
	f.String("device-listen", "", "another address for the device protocol, `HOST:PORT`; the same when left out")
	f.String("metrics-listen", "", "address on which machines read how all stands (OpenMetrics), `HOST:PORT`; "+
		"nowhere when left out")
	f.String("database", "", "PostgreSQL `URL`, postgres://USER@HOST:PORT/NAME")
	f.String(
		"migrate-database",
		"",
		"the same as the role that owns the schema, `URL`; then the role of --database cannot change the trail",
	)
	f.String(
		"keys",
		"rankwarden-keys.json",
		"`file` of the service's private keys, mode 0600; see rankwardend keys new --service",
	)
	f.String(
		"escrow-keys",
		"rankwarden-escrow-keys.json",
		"`file` of the private escrow keys, mode 0600; see rankwardend keys",
	)
	f.Int(
		"reveals-per-hour",
		app.DefaultBudget,
		"passwords that an operator may see in an hour before a second person must approve",
	)
	f.Bool(
		"approve-added-administrators",
		false,
		"a second person must approve a change that adds principals to administrators",
	)
	f.Int(
		"approve-removed-administrators",
		0,
		"a second person must approve a change by which members leave administrators on this many `devices` or more; "+
			"0 for never",
	)
	f.Bool("approve-everything", false, "a second person must approve a change that aims at everything at once")
	f.Bool("approve-all-at-once", false, "a second person must approve a change that goes to its devices without waves")
	f.Bool("approve-waivers", false, "a second person must agree to waivers of members of administrators")
	f.Bool("approve-keys", false, "escrow keys go live and retire only with a second owner; local administration "+
		"needs none")
	f.Bool("approve-opening-early", false, "a second person must open a wave whose gate is not passed")
	f.Int(
		"brake-percent",
		organisation.DefaultBrake.Percent,
		"an import, a rule or a change of facts waits for a decision when it alters the desired state of more of the "+
			"fleet, in `percent`, and of more than five devices",
	)
	f.Int(
		"brake-administrators",
		organisation.DefaultBrake.Administrators,
		"the same, when members leave administrators on more `devices`",
	)
	f.Bool("no-brake", false, "let nothing wait")
	f.Duration("soak", rollout.DefaultGate.Soak, "how long the waves of a rollout soak where nothing else is said")
	f.String("tls-cert", "", "certificate `file` in PEM")
	f.String("tls-key", "", "`file` of the certificate's key in PEM")
	f.String(
		"public-url",
		"",
		"where people reach the console through a proxy, such as https://warden.example; cookies are for TLS only "+
			"when it is https",
	)
	f.StringSlice(
		"trust-proxy",
		nil,
		"`ADDRESS` or network of a proxy whose X-Forwarded headers are believed; may be given several times",
	)
	f.Duration(
		"keep-reports",
		retention.DefaultKept.Reports,
		"how long every report is kept once its month is over; the last one of each day is kept for a year",
	)
	f.Duration("keep-events", retention.DefaultKept.Events, "how long device events are kept once their month is over")
	f.Duration("keep-findings", retention.DefaultKept.Findings,
		"how long closed findings are kept once their month is over")
	f.Duration("keep-states", retention.DefaultKept.DesiredStates,
		"how long superseded desired states are kept once their month is over")
	f.Duration("keep-changes", retention.DefaultKept.Changes,
		"how long changes are kept once they are applied or dropped")
	f.Duration("keep-orders", retention.DefaultKept.Orders, "how long ended orders are kept")
	f.String("checkpoint-file", "", "`file` to which signed checkpoints of the audit trail are added, every hour")
	f.String("traces", "", "`URL` of a collector of traces (OpenTelemetry, OTLP over HTTP), such as "+
		"http://127.0.0.1:4318; nowhere when left out")
	f.StringSlice(
		"notify-network",
		nil,
		"`NETWORK` of yours that notifications may go to, such as 10.20.0.0/16; otherwise they go to public "+
			"addresses only. May be given several times",
	)
	f.String("provider-issuer", "", "identity provider that people sign in with (OpenID Connect), its issuer `URL`")
	f.String("provider-name", "your account", "what the button for it says after \"Sign in with\"")
	f.String("provider-client", "rankwarden", "client `identifier` there")
	f.String("provider-secret-file", "", "`file` with the client secret, mode 0600; none for a public client")
	f.StringSlice("provider-role", nil, "role for a group there, `GROUP=ROLE` or GROUP=ROLE:GROUP-OF-DEVICES; may be "+
		"given several times")
	f.String("provider-groups-claim", "groups", "`claim` that lists somebody's groups")
	f.String("provider-name-claim", "preferred_username", "`claim` that names somebody")
	f.Bool("only-provider", false, "let nobody sign in with a password but sealed owners, see rankwardend owner seal")
	f.Bool("require-second-factor", false, "let nobody do anything in the console without a second factor")
	f.Bool("allow-clear", false, "serve without TLS on other addresses than loopback, behind a proxy that does TLS")
	f.String("organisation", "My organisation", "name that operators see")
	f.Duration("interval", 5*time.Minute, "time between two check-ins of a device")
	f.String("directory-url", "", "LDAP directory to keep in step with, ldaps://`HOST` or ldap://HOST")
	f.String("directory-base", "", "where its people and groups are, such as `dc=skerryline,dc=example`")
	f.String("directory-bind", "", "`DN` to sign in to the directory as; anonymous when left out")
	f.String("directory-password-file", "", "`file` with that one's password, mode 0600")
	f.String("directory-ca", "", "`file` of certificates to trust in PEM; the system's when left out")
	f.Bool("directory-starttls", false, "encrypt an ldap:// connection before anything is sent")
	f.Bool("directory-allow-clear", false, "let the directory password leave this machine in clear")
	f.Duration("directory-every", 15*time.Minute, "time between two readings of the directory")
	f.String("first-owner", "owner", "`name` of the operator made at the first start")
	f.String("first-password", "rankwarden-first-password", "`file` for that operator's password")
	logFlags(f)
	return cmd
}

func logFlags(f *pflag.FlagSet) {
	f.String("log-format", "text", "text or json")
	f.String("log-level", "info", "debug, info, warn or error")
}

func options(flags *pflag.FlagSet) (*koanf.Koanf, error) {
	k := koanf.New(".")
	if path, err := flags.GetString("config"); err == nil && path != "" {
		if err := k.Load(file.Provider(path), yaml.Parser()); err != nil {
			return nil, fmt.Errorf("configuration file %s: %w", path, err)
		}
		all := serveCommand().Flags() // the other commands read the file of the service too, and take what is theirs
		for _, key := range k.Keys() {
			if flags.Lookup(key) == nil && all.Lookup(key) == nil {
				return nil, fmt.Errorf(
					"configuration file %s: there is no option %q; see rankwardend serve --help",
					path,
					key,
				)
			}
		}
	}
	name := func(key, value string) (string, any) {
		return strings.ReplaceAll(strings.ToLower(strings.TrimPrefix(key, envPrefix)), "_", "-"), value
	}
	if err := k.Load(env.Provider(".", env.Opt{Prefix: envPrefix, TransformFunc: name}), nil); err != nil {
		return nil, fmt.Errorf("environment: %w", err)
	}
	if err := k.Load(posflag.Provider(flags, ".", k), nil); err != nil {
		return nil, fmt.Errorf("flags: %w", err)
	}
	return k, nil
}

func logger(k *koanf.Koanf, to io.Writer) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(k.String("log-level"))); err != nil {
		return nil, fmt.Errorf("log-level %q must be debug, info, warn or error", k.String("log-level"))
	}
	opts := &slog.HandlerOptions{Level: level}
	switch k.String("log-format") {
	case "json":
		return slog.New(slog.NewJSONHandler(to, opts)), nil
	case "text":
		return slog.New(slog.NewTextHandler(to, opts)), nil
	}
	return nil, fmt.Errorf("log-format %q must be text or json", k.String("log-format"))
}

// kept is how long records are kept.
func kept(k *koanf.Koanf) store.RetentionPeriods {
	kept := retention.DefaultKept
	for option, of := range map[string]*time.Duration{"keep-reports": &kept.Reports, "keep-events": &kept.Events,
		"keep-findings": &kept.Findings,
		"keep-states":   &kept.DesiredStates, "keep-orders": &kept.Orders, "keep-changes": &kept.Changes} {
		*of = k.Duration(option)
	}
	kept.DailyReports = max(kept.DailyReports, kept.Reports)
	return kept
}

// firstOwner makes the first owner of a service without operators. The password is written first: an owner
// whose password nobody knows could never get in.
func firstOwner(ctx context.Context, s *app.Server, k *koanf.Koanf, log *slog.Logger) error {
	some, err := s.Access.HasOperators(ctx)
	if err != nil || some {
		return err
	}
	name, path, password := k.String("first-owner"), k.String("first-password"), auth.NewPassword()
	if err := writePassword(path, password); err != nil {
		return err
	}
	made, err := s.Access.EnsureOwner(ctx, name, password)
	if err != nil || !made {
		return errors.Join(err, os.Remove(path)) // another replica was first
	}
	absolute, _ := filepath.Abs(path) // only for the reader
	log.Info("the first owner was created", "name", name, "password_file", absolute)
	return nil
}

// writePassword writes a password to a new file that only its owner can read.
func writePassword(path, password string) error {
	file, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return fmt.Errorf("the password cannot be written, so nothing was changed: %w; name another file", err)
	}
	_, err = file.WriteString(password + "\n")
	if err = errors.Join(err, file.Sync(), file.Close()); err != nil {
		return fmt.Errorf(
			"the password cannot be written, so nothing was changed: %w",
			errors.Join(err, os.Remove(path)),
		)
	}
	return nil
}

// brake says what may be altered without a decision.
func brake(k *koanf.Koanf) organisation.Brake {
	if k.Bool("no-brake") {
		return organisation.Brake{}
	}
	return organisation.Brake{Percent: k.Int("brake-percent"), Administrators: k.Int("brake-administrators")}
}

// approvals are the changes that need a second person.
func approvals(k *koanf.Koanf) changes.Approvals {
	return changes.Approvals{
		AddedAdministrators:   k.Bool("approve-added-administrators"),
		RemovedAdministrators: k.Int("approve-removed-administrators"),
		Everything:            k.Bool("approve-everything"),
		AllAtOnce:             k.Bool("approve-all-at-once"),
	}
}

func serve(cmd *cobra.Command, _ []string) error {
	k, err := options(cmd.Flags())
	if err != nil {
		return err
	}
	log, err := logger(k, os.Stderr)
	if err != nil {
		return err
	}
	connection, err := directoryConnection(k)
	if err != nil {
		return err
	}
	identities, err := identityProvider(k)
	if err != nil {
		return err
	}
	networks, err := notifyNetworks(k)
	if err != nil {
		return err
	}
	ctx := cmd.Context()
	s, err := app.Start(ctx, app.Config{
		NotifyNetworks: networks, Traces: k.String("traces"), Provider: identities,
		OnlyProvider: k.Bool("only-provider"),
		Listen: k.String(
			"listen",
		), DeviceListen: k.String("device-listen"), MetricsListen: k.String("metrics-listen"),
		TLSCert: k.String("tls-cert"), TLSKey: k.String("tls-key"), AllowClear: k.Bool("allow-clear"),
		Database: k.String(
			"database",
		), MigrateDatabase: k.String("migrate-database"), Keys: k.String("keys"),
		CheckpointFile: k.String("checkpoint-file"), RequireSecondFactor: k.Bool("require-second-factor"),
		EscrowKeys: k.String("escrow-keys"), EscrowEnv: os.Getenv(escrowEnv), RevealBudget: k.Int("reveals-per-hour"),
		Approvals: approvals(k), Organisation: k.String("organisation"), Interval: k.Duration("interval"),
		PublicURL: k.String("public-url"), Proxies: k.Strings("trust-proxy"), Kept: kept(k),
		SecondPersonOpens: k.Bool(
			"approve-opening-early",
		), SecondPersonWaives: k.Bool("approve-waivers"), SecondPersonKeys: k.Bool("approve-keys"),
		Soak: k.Duration("soak"), Brake: brake(k),
		Directory: connection, DirectoryEvery: k.Duration("directory-every"),
	}, console.Files(), log)
	if err != nil {
		return err
	}
	err = firstOwner(ctx, s, k, log)
	if err == nil {
		log.Info("serving", "url", s.URL, "devices", s.DeviceURL, "metrics", s.MetricsURL)
		select {
		case <-ctx.Done():
			log.Info("stopping")
		case err = <-s.Failed():
		}
	}
	if stopErr := s.Stop(); err == nil {
		err = stopErr
	}
	return err
}
