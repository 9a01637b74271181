package app

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/gate"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rollout"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/room/retention"
)

// Sections of the page of settings.
const (
	approval = "A second person"
	signIn   = "Sign-in"
	records  = "Records"
	service  = "Service"
)

// switches are all options of the service, in the order of the page of settings.
var switches = slices.Concat(approvalSwitches, accessSwitches, recordSwitches, serviceSwitches, directorySwitches)

var approvalSwitches = []Switch{
	yes("approve-added-administrators",
		"a second person must approve a change that adds principals to administrators, or to another local group "+
			"whose members can take a device over",
		func(c *Config) *bool { return &c.Approvals.AddedAdministrators }).
		on(approval, "New members of administrators"),
	number("approve-removed-administrators", 0,
		"a second person must approve a change by which members leave administrators on this many `devices` or more; "+
			"0 for never",
		func(c *Config) *int { return &c.Approvals.RemovedAdministrators }).
		on(approval, "Removals from administrators").
		shown(func(c Config) string { return never(c.Approvals.RemovedAdministrators, "on %d devices or more") }),
	yes("approve-everything", "a second person must approve a change that aims at everything at once",
		func(c *Config) *bool { return &c.Approvals.Everything }).on(approval, "Changes to everything at once"),
	yes("approve-all-at-once", "a second person must approve a change that goes to its devices without waves",
		func(c *Config) *bool { return &c.Approvals.AllAtOnce }).on(approval, "Changes without waves"),
	yes("approve-opening-early", "a second person must open a wave whose gate is not passed",
		func(c *Config) *bool { return &c.SecondPersonOpens }).on(approval, "Opening a wave before its gate is passed"),
	yes("approve-waivers", "a second person must agree to waivers of members of administrators and of such local "+
		"groups",
		func(c *Config) *bool { return &c.SecondPersonWaives }).on(approval, "Waivers of administrators"),
	yes("approve-keys", "escrow keys go live and retire only with a second owner, also while there is none; local "+
		"administration needs none",
		func(c *Config) *bool { return &c.SecondPersonKeys }).on(approval, "Escrow keys going live or retiring"),
	period("warrant-most", DefaultWarrant, "the longest `time` for which a warrant holds, at most 720h",
		func(c *Config) *time.Duration { return &c.WarrantMost }).on(approval, "The longest warrant"),
	list("warrant-most-for", "the same for whoever asks with a role, `ROLE=TIME`, or on devices of a group, "+
		"group:NAME=TIME; may be given several times", func(c *Config) *[]string { return &c.WarrantCaps }).
		on(approval, "The longest warrant for").
		shown(func(c Config) string {
			caps, err := warrant.ReadCaps(c.WarrantMost, c.WarrantCaps)
			if err != nil {
				return err.Error() // the service does not start with it
			}
			return present.Caps(caps)
		}),
	number("reveals-per-hour", DefaultBudget,
		"`number` of passwords that an operator may see in an hour before a second person must approve",
		func(c *Config) *int { return &c.RevealBudget }).on(approval, "Views of passwords in an hour").
		shown(func(c Config) string { return never(c.RevealBudget, "beyond %d") }),
	number("brake-percent", gate.DefaultBrake.Percent,
		"an import, a rule or a change of facts waits for a decision when it alters the desired state of more of the "+
			"fleet, in `percent`, and of more than five devices",
		func(c *Config) *int { return &c.Brake.Percent }).on(approval, "The brake holds edits that alter").
		with("brake-administrators").shown(brakeInWords),
	number("brake-administrators", gate.DefaultBrake.Administrators,
		"the same, when members leave administrators on more `devices`",
		func(c *Config) *int { return &c.Brake.Administrators }),
	// It comes after what it turns off.
	{Name: "no-brake", usage: "let nothing wait", value: false, set: func(c *Config, given Values) {
		if given.Bool("no-brake") {
			c.Brake = gate.Brake{}
		}
	}},
}

var accessSwitches = []Switch{
	yes("require-second-factor", "let nobody do anything in the console without a second factor",
		func(c *Config) *bool { return &c.RequireSecondFactor }).on(signIn, "Second factor required"),
	together("provider-issuer", "", "identity provider that people sign in with (OpenID Connect), its issuer `URL`").
		on(signIn, "Identity provider").
		shown(func(c Config) string {
			if c.Provider == nil {
				return "none"
			}
			return c.Provider.Issuer
		}),
	together("provider-name", "your account", "`words` that the button for it says after \"Sign in with\""),
	together("provider-client", "rankwarden", "client `identifier` there"),
	together("provider-secret-file", "", "`file` with the client secret, mode 0600; none for a public client"),
	together("provider-role", []string(nil), "role for a group there, `GROUP=ROLE` or GROUP=ROLE:GROUP-OF-DEVICES; "+
		"may be given several times"),
	together("provider-groups-claim", "groups", "`claim` that lists somebody's groups"),
	together("provider-name-claim", "preferred_username", "`claim` that names somebody"),
	yes("only-provider", "let nobody sign in with a password but sealed owners, see rankwardend owner seal",
		func(c *Config) *bool { return &c.OnlyProvider }).on(signIn, "Passwords of our own").
		shown(func(c Config) string {
			return map[bool]string{true: "sealed owners only", false: "yes"}[c.OnlyProvider]
		}),
	text("public-url", "", "`URL` at which people reach the console through a proxy, such as https://warden.example; "+
		"cookies are for TLS only when it is https",
		func(c *Config) *string { return &c.PublicURL }).on(signIn, "Reached at").
		shown(func(c Config) string { return cmp.Or(c.PublicURL, "the address it listens on") }),
	list("trust-proxy",
		"`ADDRESS` or network of a proxy whose X-Forwarded headers are believed; may be given several times",
		func(c *Config) *[]string { return &c.Proxies }).on(signIn, "Trusted proxies").
		shown(func(c Config) string { return cmp.Or(strings.Join(c.Proxies, ", "), "none") }),
	together("first-owner", "owner", "`name` of the operator made at the first start"),
	together("first-password", "rankwarden-first-password", "`file` for that operator's password"),
}

var recordSwitches = []Switch{
	period("keep-reports", retention.DefaultKept.Reports,
		"how `long` every report is kept once its month is over; the last one of each day is kept for a year",
		func(c *Config) *time.Duration { return &c.Kept.Reports }).on(records, "Every report is kept for").
		shown(func(c Config) string { return span(c.kept().Reports) + byMonth }),
	period("keep-events", retention.DefaultKept.Events, "how `long` device events are kept once their month is over",
		func(c *Config) *time.Duration { return &c.Kept.Events }).on(records, "Device events are kept for").
		shown(func(c Config) string { return span(c.kept().Events) + byMonth }),
	period("keep-findings", retention.DefaultKept.Findings,
		"how `long` closed findings are kept once their month is over",
		func(c *Config) *time.Duration { return &c.Kept.Findings }).on(records, "Closed findings are kept for").
		shown(func(c Config) string { return span(c.kept().Findings) + byMonth }),
	period("keep-states", retention.DefaultKept.DesiredStates,
		"how `long` superseded desired states are kept once their month is over",
		func(c *Config) *time.Duration { return &c.Kept.DesiredStates }).
		on(records, "Superseded desired states are kept for").
		shown(func(c Config) string { return span(c.kept().DesiredStates) + byMonth }),
	period("keep-changes", retention.DefaultKept.Changes,
		"how `long` changes are kept once they are applied or dropped",
		func(c *Config) *time.Duration { return &c.Kept.Changes }).
		on(records, "Applied and dropped changes are kept for").
		shown(func(c Config) string { return span(c.kept().Changes) }),
	period("keep-orders", retention.DefaultKept.Orders, "how `long` ended orders are kept",
		func(c *Config) *time.Duration { return &c.Kept.Orders }).on(records, "Ended orders are kept for").
		shown(func(c Config) string { return span(c.kept().Orders) }),
	text("checkpoint-file", "", "`file` to which signed checkpoints of the audit trail are added, every hour",
		func(c *Config) *string { return &c.CheckpointFile }).on(records, "Checkpoints are added to a file").
		shown(func(c Config) string { return yesOrNo(c.CheckpointFile != "") }),
}

var serviceSwitches = []Switch{
	period("interval", 5*time.Minute, "`time` between two check-ins of a device",
		func(c *Config) *time.Duration { return &c.Interval }).on(service, "Devices check in every"),
	period("soak", rollout.DefaultGate.Soak, "how `long` the waves of a rollout soak where nothing else is said",
		func(c *Config) *time.Duration { return &c.Soak }).on(service, "Waves soak for").
		shown(func(c Config) string { return cmp.Or(span(c.Soak), "30 min") }),
	together("directory-url", "", "LDAP directory to keep in step with, ldaps://`HOST` or ldap://HOST").
		on(service, "Directory").
		shown(func(c Config) string {
			if c.Directory == nil {
				return "imported only"
			}
			return fmt.Sprintf("%s, every %s", c.Directory.URL, span(c.DirectoryEvery))
		}),
	together("notify-network", []string(nil),
		"`NETWORK` of yours that notifications may go to, such as 10.20.0.0/16; otherwise they go to public "+
			"addresses only. May be given several times").
		on(service, "Networks of yours that notifications may go to").
		shown(func(c Config) string {
			var networks []string
			for _, n := range c.NotifyNetworks {
				networks = append(networks, n.String())
			}
			return cmp.Or(strings.Join(networks, ", "), "none")
		}),
	text("traces", "", "`URL` of a collector of traces (OpenTelemetry, OTLP over HTTP), such as "+
		"http://127.0.0.1:4318; nowhere when left out",
		func(c *Config) *string { return &c.Traces }).on(service, "Traces go to").
		shown(func(c Config) string { return cmp.Or(c.Traces, "no collector") }),
	text("metrics-listen", "", "address on which machines read how all stands (OpenMetrics), `HOST:PORT`; nowhere "+
		"when left out",
		func(c *Config) *string { return &c.MetricsListen }).on(service, "Metrics are served at").
		shown(func(c Config) string { return cmp.Or(c.MetricsListen, "no address") }),
	text("listen", "127.0.0.1:8470", "address to listen on, `HOST:PORT`", func(c *Config) *string { return &c.Listen }),
	text("device-listen", "", "another address for the device protocol, `HOST:PORT`; the same when left out",
		func(c *Config) *string { return &c.DeviceListen }),
	text("database", "", "PostgreSQL `URL`, postgres://USER@HOST:PORT/NAME",
		func(c *Config) *string { return &c.Database }),
	text("migrate-database", "", "the same as the role that owns the schema, `URL`; then the role of --database "+
		"cannot change the trail",
		func(c *Config) *string { return &c.MigrateDatabase }),
	text("keys", "rankwarden-keys.json", "`file` of the service's private keys, mode 0600; see rankwardend keys new "+
		"--service",
		func(c *Config) *string { return &c.Keys }),
	text("escrow-keys", "rankwarden-escrow-keys.json",
		"`file` of the private escrow keys, mode 0600; see rankwardend keys",
		func(c *Config) *string { return &c.EscrowKeys }),
	text("tls-cert", "", "certificate `file` in PEM", func(c *Config) *string { return &c.TLSCert }),
	text("tls-key", "", "`file` of the certificate's key in PEM", func(c *Config) *string { return &c.TLSKey }),
	yes("allow-clear", "serve without TLS on other addresses than loopback, behind a proxy that does TLS",
		func(c *Config) *bool { return &c.AllowClear }).hidden(),
	text("organisation", "My organisation", "`name` that operators see",
		func(c *Config) *string { return &c.Organisation }),
	text("help-text", "", "`text` that devices show to somebody who is locked out, such as whom to call",
		func(c *Config) *string { return &c.HelpText }),
}

var directorySwitches = []Switch{
	yes("learn-primary-users", "take as the primary user of a device whoever of the directory signs in there on most "+
		"days of a month, where nobody has set one; then rules over who uses a device decide neither reach nor "+
		"exclusion",
		func(c *Config) *bool { return &c.LearnPrimaryUsers }).on(service, "Primary users from sign-ins"),
	together("directory-base", "", "distinguished `name` below which its people and groups are, such as "+
		"dc=skerryline,dc=example"),
	together("directory-bind", "", "`DN` to sign in to the directory as; anonymous when left out"),
	together("directory-password-file", "", "`file` with that one's password, mode 0600"),
	together("directory-ca", "", "`file` of certificates to trust in PEM; the system's when left out"),
	together("directory-starttls", false, "encrypt an ldap:// connection before anything is sent"),
	together("directory-allow-clear", false, "let the directory password leave this machine in clear"),
	{Name: "directory-every", usage: "`time` between two readings of the directory", value: 15 * time.Minute,
		set: func(c *Config, given Values) { c.DirectoryEvery = given.Duration("directory-every") }},
}

// byMonth says when the time begins for which records that go by the month are kept.
const byMonth = " after the month is over"

func never(n int, words string) string {
	if n == 0 {
		return "never"
	}
	return fmt.Sprintf(words, n)
}

func brakeInWords(c Config) string {
	if c.Brake == (gate.Brake{}) {
		return "off"
	}
	return fmt.Sprintf("more than %d %% of the fleet, or administrators on more than %d devices",
		c.Brake.Percent, c.Brake.Administrators)
}
