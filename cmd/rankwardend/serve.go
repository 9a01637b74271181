package main

import (
	"fmt"
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
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/server"
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
			"At the first start, with no operator yet, the owner named by --first-owner is made, and the password is\n" +
			"written to --first-password, a file that only you can read.\n\n" +
			"Devices change passwords once an escrow key is live, see rankwardend keys. The private escrow keys are read from\n" +
			"--escrow-keys, or from " + escrowEnv + ", which holds what would stand in that file.",
		RunE: serve,
	}
	f := cmd.Flags()
	f.String("config", "", "file with options, in YAML")
	f.String("listen", "127.0.0.1:8470", "address to listen on, `HOST:PORT`")
	f.String("device-listen", "", "another address for the device protocol, `HOST:PORT`; the same when left out")
	f.String("database", "", "PostgreSQL `URL`, postgres://USER@HOST:PORT/NAME")
	f.String("keys", "rankwarden-keys.json", "`file` of the service's private keys, mode 0600; made when missing")
	f.String("escrow-keys", "rankwarden-escrow-keys.json", "`file` of the private escrow keys, mode 0600; see rankwardend keys")
	f.Int("reveals-per-hour", server.DefaultBudget, "passwords that an operator may see in an hour before a second person must agree")
	f.String("tls-cert", "", "certificate `file` in PEM")
	f.String("tls-key", "", "`file` of the certificate's key in PEM")
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
		for _, key := range k.Keys() {
			if flags.Lookup(key) == nil {
				return nil, fmt.Errorf("configuration file %s: there is no option %q; see rankwardend serve --help", path, key)
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

func logger(k *koanf.Koanf) (*slog.Logger, error) {
	var level slog.Level
	if err := level.UnmarshalText([]byte(k.String("log-level"))); err != nil {
		return nil, fmt.Errorf("log-level %q must be debug, info, warn or error", k.String("log-level"))
	}
	opts := &slog.HandlerOptions{Level: level}
	switch k.String("log-format") {
	case "json":
		return slog.New(slog.NewJSONHandler(os.Stderr, opts)), nil
	case "text":
		return slog.New(slog.NewTextHandler(os.Stderr, opts)), nil
	}
	return nil, fmt.Errorf("log-format %q must be text or json", k.String("log-format"))
}

func serve(cmd *cobra.Command, _ []string) error {
	k, err := options(cmd.Flags())
	if err != nil {
		return err
	}
	log, err := logger(k)
	if err != nil {
		return err
	}
	connection, err := directoryConnection(k)
	if err != nil {
		return err
	}
	ctx := cmd.Context()
	s, err := server.Start(ctx, server.Config{
		Listen: k.String("listen"), DeviceListen: k.String("device-listen"), TLSCert: k.String("tls-cert"), TLSKey: k.String("tls-key"), AllowClear: k.Bool("allow-clear"),
		Database: k.String("database"), Keys: k.String("keys"), EscrowKeys: k.String("escrow-keys"), EscrowEnv: os.Getenv(escrowEnv), RevealBudget: k.Int("reveals-per-hour"), Organisation: k.String("organisation"), Interval: k.Duration("interval"),
		Directory: connection, DirectoryEvery: k.Duration("directory-every"),
	}, console.Files(), log)
	if err != nil {
		return err
	}
	password := auth.NewPassword()
	made, err := s.Service.EnsureOwner(ctx, k.String("first-owner"), password)
	if err == nil && made {
		path := k.String("first-password")
		if err = os.WriteFile(path, []byte(password+"\n"), 0o600); err == nil {
			absolute, _ := filepath.Abs(path) // only for the reader
			log.Info("the first owner was made", "name", k.String("first-owner"), "password_file", absolute)
		}
	}
	if err == nil {
		log.Info("serving", "url", s.URL, "devices", s.DeviceURL)
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
