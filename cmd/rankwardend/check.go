package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"

	"rankwarden.example/internal/app"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

// checkCommand looks at everything that the service stands on, and changes nothing.
func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "check", Short: "Look whether everything is there that the service stands on; change nothing",
		Args: cobra.NoArgs,
		Long: "Look whether everything is there that the service stands on: configuration, database, keys, clock,\n" +
			"certificate. It takes the options of serve, and changes nothing. What is wrong ends it with status\n" +
			"1; what needs attention does not.",
		SilenceErrors: true,
		RunE: func(cmd *cobra.Command, _ []string) error {
			k, err := options(cmd.Flags())
			if err != nil {
				return err
			}
			c := &checking{k: k, out: cmd.OutOrStdout(), now: time.Now()}
			c.all(cmd.Context())
			if c.wrong > 0 {
				return fmt.Errorf("%d %s wrong", c.wrong,
					map[bool]string{true: "thing is", false: "things are"}[c.wrong == 1])
			}
			return nil
		},
	}
	cmd.Flags().AddFlagSet(serveCommand().Flags())
	return cmd
}

// checking is one look.
type checking struct {
	k     *koanf.Koanf
	out   io.Writer
	now   time.Time
	wrong int
}

func (c *checking) say(how, what string, args ...any) {
	fmt.Fprintf(c.out, "%-10s %s\n", how, fmt.Sprintf(what, args...))
}

func (c *checking) fine(what string, args ...any)   { c.say("ok", what, args...) }
func (c *checking) attend(what string, args ...any) { c.say("attention", what, args...) }
func (c *checking) bad(err error)                   { c.wrong++; c.say("wrong", "%v", err) }

// all goes through everything that a start needs, and says of each whether it is right. It changes nothing.
func (c *checking) all(ctx context.Context) {
	config := app.Config{Listen: c.k.String("listen"), DeviceListen: c.k.String("device-listen"),
		TLSCert: c.k.String("tls-cert"),
		TLSKey:  c.k.String("tls-key"), AllowClear: c.k.Bool("allow-clear"), Database: c.k.String("database"),
		Keys:     c.k.String("keys"),
		Interval: c.k.Duration("interval"), MetricsListen: c.k.String("metrics-listen")}
	if err := config.Check(); err != nil {
		c.bad(err)
	} else {
		c.fine("configuration")
	}
	if _, err := identityProvider(c.k); err != nil {
		c.bad(err)
	}
	if _, err := notifyNetworks(c.k); err != nil {
		c.bad(err)
	}
	c.certificate(config)
	if _, err := keyring.Load(config.Keys); err != nil {
		c.bad(err)
	} else {
		c.fine("service keys in %s", config.Keys)
	}
	db, err := store.Open(ctx, config.Database)
	if err != nil {
		c.bad(err)
		return
	}
	defer db.Close()
	c.database(ctx, db)
}

// soon is how long before its end a certificate needs attention.
const soon = 30 * 24 * time.Hour

// certificate checks the TLS certificate, and how long it is good.
func (c *checking) certificate(config app.Config) {
	ends, err := config.CertificateEnds()
	switch {
	case err != nil:
		c.bad(err)
	case ends.IsZero():
		c.attend("no certificate: the service is for loopback, or for a proxy in front that does TLS")
	case ends.Before(c.now):
		c.bad(fmt.Errorf("the certificate ended on %s; put a new one at %s", ends.Format(time.DateOnly),
			config.TLSCert))
	case ends.Before(c.now.Add(soon)):
		c.attend("the certificate ends on %s", ends.Format(time.DateOnly))
	default:
		c.fine("certificate, until %s", ends.Format(time.DateOnly))
	}
}

// mostApart is how far the clocks of this machine and of the database may lie apart.
const mostApart = 5 * time.Second

// database checks that the database can be reached and written, its schema, its clock, and that the service's role
// cannot change the trail.
func (c *checking) database(ctx context.Context, db *store.Store) {
	if err := db.CheckSessions(ctx); err != nil {
		c.bad(err)
		return
	}
	if err := db.CheckSchema(ctx); err != nil {
		c.bad(err)
		return
	}
	tx := db.With(ctx)
	behind, err := db.Behind(ctx)
	switch {
	case err != nil:
		c.bad(err)
		return
	case behind > 0:
		c.attend("the database is %d behind in migrations; the next start makes them, or rankwardend migrate", behind)
		return
	}
	if err := db.TryWrite(ctx); err != nil {
		c.bad(err)
		return
	}
	c.fine("database, at the newest schema, takes writes")
	c.replicas(tx)
	c.returns(tx)
	if at, err := tx.Clock(); err != nil {
		c.bad(err)
	} else if apart := time.Since(at).Abs(); apart > mostApart {
		c.bad(fmt.Errorf("the clocks of this machine and of the database are %s apart; let both be set by the network",
			apart.Round(time.Second)))
	} else {
		c.fine("clock")
	}
	protected, err := tx.TrailIsProtected()
	switch {
	case err != nil:
		c.bad(err)
	case protected:
		c.fine("the service's database role can only add to the trail")
	default:
		c.attend("the service's database role can change the trail; give it one of its own, see migrate-database")
	}
	c.escrow(tx)
	c.notifications(tx)
}

// replicas tells who shares the database.
func (c *checking) replicas(tx store.Reader) {
	replicas, err := tx.Replicas(replicaSilent)
	if err != nil {
		c.bad(err)
		return
	}
	for _, r := range replicas {
		c.fine("replica on %s, version %s", r.Host, r.Program)
	}
}

// replicaSilent is how long ago a replica may have written that it is there.
const replicaSilent = 10 * time.Second

// returns tells of a database that went back, of devices that say so, and of freezes.
func (c *checking) returns(tx store.Reader) {
	list, err := tx.DatabaseReturns(c.now.Add(-7 * 24 * time.Hour))
	if err != nil {
		c.bad(err)
	}
	for _, r := range list {
		c.attend("the database went back at %s: %s. Epoch %d began by itself", r.At.UTC().
			Format("2006-01-02 15:04:05 UTC"), r.Why, r.Epoch)
	}
	figures, err := tx.Figures(c.now)
	if err != nil {
		c.bad(err)
		return
	}
	if figures.Mismatched > 0 {
		c.attend("%d devices hold what the service does not know that it gave them, and take nothing that is "+
			"published; if the database came back from a backup, run rankwardend restored", figures.Mismatched)
	}
	frozen, err := tx.Freezes()
	if err != nil {
		c.bad(err)
	}
	for _, f := range frozen {
		c.attend("%s is frozen since %s by %s: %s",
			map[string]string{store.FreezeAll: "settling", store.FreezeRollouts: "every rollout"}[f.What],
			f.At.UTC().Format("2006-01-02 15:04:05 UTC"), f.By, f.Reason)
	}
}

func (c *checking) notifications(tx store.Reader) {
	targets, err := tx.EnabledTargets()
	if err != nil {
		c.bad(err)
	}
	for _, t := range targets {
		if t.Failures > 0 {
			c.attend("the notification target %s does not take what is sent: %s", t.Name, t.Error)
		}
	}
}

// escrow checks that the private halves of the live escrow keys are there.
func (c *checking) escrow(tx store.Reader) {
	keys, err := tx.EscrowKeys()
	if err != nil {
		c.bad(err)
		return
	}
	ring, err := escrow.ReadRing(c.k.String("escrow-keys"))
	if err != nil {
		c.bad(err)
		return
	}
	live, recovery := 0, false
	for _, key := range keys {
		if key.State != store.KeyLive {
			continue
		}
		if key.Use == protocol.UseRecovery {
			recovery = true
			continue
		}
		live++
		if !ring.Holds(key.Number) {
			c.bad(fmt.Errorf("escrow key %d is live, and its private half is not in %s: what is sealed to it cannot "+
				"be shown here",
				key.Number, c.k.String("escrow-keys")))
		}
	}
	switch {
	case live == 0:
		c.attend("no escrow key is live, so that no device changes a password; see rankwardend keys")
	default:
		c.fine("escrow keys: %d live", live)
	}
	if !recovery {
		c.attend("there is no recovery key; without the escrow keys no password could be shown again")
	}
}
