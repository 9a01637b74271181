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

	"github.com/knadh/koanf/parsers/yaml"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/providers/file"
	"github.com/knadh/koanf/providers/posflag"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"rankwarden.example/console"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/auth"
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
	f.String("config", "", "`file` with options, in YAML")
	app.AddFlags(f)
	logFlags(f)
	return cmd
}

func logFlags(f *pflag.FlagSet) {
	f.String("log-format", "text", "`format`: text or json")
	f.String("log-level", "info", "`level`: debug, info, warn or error")
}

// options reads the configuration: the file, then the environment, then flags, of which the later beat the earlier.
// An option that is not known is an error.
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

// logger writes the log as text or JSON, from a level on.
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

// serve runs the service until it is told to end or cannot go on.
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
	config := app.Configure(k)
	config.NotifyNetworks, config.Provider, config.Directory = networks, identities, connection
	config.EscrowEnv = os.Getenv(escrowEnv)
	s, err := app.Start(ctx, config, console.Files(), log)
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
