package app

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"time"

	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/room/retention"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/oidc"
)

// Config is how a service is set up.
type Config struct {
	Listen        string // address, such as 127.0.0.1:8470
	DeviceListen  string // another address for the device protocol; empty for the same
	MetricsListen string // address on which machines read how all stands; empty for none
	TLSCert       string // files in PEM; both or none
	TLSKey        string
	AllowClear    bool // serve without TLS on other addresses than loopback
	Database      string
	// the same as the role that owns the schema; empty where the service's own role does
	MigrateDatabase    string
	Keys               string         // file of the service's private keys
	EscrowKeys         string         // file of the private escrow keys
	EscrowEnv          string         // the keys themselves, instead of the file
	RevealBudget       int            // passwords that an operator may see in an hour alone; 0 for none
	Approvals          gate.Approvals // which changes need a second person
	SecondPersonOpens  bool           // a wave is opened before its gate is passed only with a second person
	SecondPersonWaives bool           // a second person must agree to waivers of administrators
	WarrantMost        time.Duration  // that a warrant may hold, [DefaultWarrant] when 0
	WarrantCaps        []string       // the same for roles and groups of devices, see [warrant.ReadCaps]
	SecondPersonKeys   bool           // keys go live and retire only with a second person
	// what imports, rules and facts may alter without a decision; nothing waits when zero
	Brake gate.Brake
	Soak  time.Duration // of the waves of a rollout where nothing else is said, half an hour when 0
	// where people reach the console, when a proxy stands in front; empty for the listening address
	PublicURL string
	// addresses or networks of proxies whose headers say who asks and how; none when empty
	Proxies      []string
	Organisation string
	// HelpText is what somebody who is locked out of a device should do; whoever is at one can read it there.
	HelpText string
	Interval time.Duration    // between two check-ins of a device
	Now      func() time.Time // the clock, [time.Now] when nil

	Kept           store.RetentionPeriods // how long records are kept, [retention.DefaultKept] where zero
	Directory      *directory.Connection  // nil for none
	DirectoryEvery time.Duration          // between two readings of it
	// LearnPrimaryUsers takes as the primary user of a device whoever signs in there on most days.
	LearnPrimaryUsers bool
	// NotifyNetworks are those beside public addresses that notifications may go to.
	NotifyNetworks []netip.Prefix
	Traces         string // URL of a collector of traces (OTLP over HTTP), empty for none
	CheckpointFile string // to which checkpoints of the trail are added, empty for none
	// Provider is where people sign in with OpenID Connect, nil for nowhere; with OnlyProvider nobody signs in with a
	// password.
	Provider     *oidc.Options
	OnlyProvider bool
	// RequireSecondFactor lets nobody do anything without a second factor.
	RequireSecondFactor bool
	Patience            time.Duration // see [RoomOptions]
	Refused             budget.Size   // see [RoomOptions]
	PasswordMemory      uint32        // KiB that hashing an operator's password takes, 64 MiB when 0
}

// DefaultBudget is how many passwords an operator may usually see in an hour before a second person must approve.
const DefaultBudget = 10

// kept is how long records are kept. The last report of a day is kept no shorter than all of them.
func (c Config) kept() store.RetentionPeriods {
	kept := c.Kept
	if kept == (store.RetentionPeriods{}) {
		kept = retention.DefaultKept
	}
	kept.DailyReports = max(kept.DailyReports, kept.Reports)
	return kept
}

// openEscrow reads the private escrow keys, from the environment or a file.
func (c Config) openEscrow() (escrow.Opener, error) {
	if c.EscrowEnv != "" {
		return escrow.ParseRing([]byte(c.EscrowEnv))
	}
	return escrow.ReadRing(c.EscrowKeys)
}

// ErrConfig is matched by errors of the configuration.
var ErrConfig = errors.New("configuration")

// Check says what is wrong with a configuration by itself.
func (c Config) Check() error {
	switch {
	case (c.TLSCert == "") != (c.TLSKey == ""):
		return fmt.Errorf("%w: tls-cert and tls-key belong together; give both or none", ErrConfig)
	case c.Database == "":
		return fmt.Errorf("%w: no database; give database as postgres://USER@HOST:PORT/NAME", ErrConfig)
	case c.Keys == "":
		return fmt.Errorf(
			"%w: no key file; give keys as the path of a file that only the service can read. Create it with "+
				"rankwardend keys new --service",
			ErrConfig,
		)
	case c.OnlyProvider && c.Provider == nil:
		return fmt.Errorf("%w: only-provider needs an identity provider; give provider-issuer", ErrConfig)
	case c.Interval < time.Second || c.Interval > 24*time.Hour:
		return fmt.Errorf("%w: interval %s must be from 1s to 24h", ErrConfig, c.Interval)
	}
	if _, err := clientaddr.Parse(c.Proxies); err != nil {
		return fmt.Errorf("%w: trust-proxy %w", ErrConfig, err)
	}
	if c.MetricsListen != "" {
		if err := c.checkAddress("metrics-listen", c.MetricsListen); err != nil {
			return err
		}
	}
	if err := c.checkAddress("listen", c.Listen); err != nil || c.DeviceListen == "" {
		return err
	}
	return c.checkAddress("device-listen", c.DeviceListen)
}

// scheme is that of the addresses it listens on.
func (c Config) scheme() string {
	if c.TLSCert != "" {
		return "https"
	}
	return "http"
}

func (c Config) checkAddress(option, address string) error {
	host, _, err := net.SplitHostPort(address)
	switch {
	case err != nil:
		return fmt.Errorf("%w: %s %q must be HOST:PORT, such as 127.0.0.1:8470", ErrConfig, option, address)
	case c.TLSCert == "" && !c.AllowClear && !loopback(host):
		return fmt.Errorf(
			"%w: %s is not loopback, and without TLS everybody on the way could read along; give tls-cert and "+
				"tls-key, or allow-clear when a proxy in front does TLS",
			ErrConfig,
			address,
		)
	}
	return nil
}

func loopback(host string) bool {
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}
