package notify

import (
	"crypto/x509"
	"net"
	"net/netip"
	"net/url"
	"slices"
	"strconv"

	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/transport"
)

// schemes are those of the addresses of a kind of target.
var schemes = map[string][]string{
	store.TargetWebhook: {"https", "http"},
	store.TargetSyslog:  {"tls", "tcp"},
	store.TargetMail:    {"smtp", "smtps", "smtp+clear"},
}

// examples show how an address of a kind is written.
var examples = map[string]string{
	store.TargetWebhook: "https://alerts.skerryline.example/warden",
	store.TargetSyslog:  "tls://logs.skerryline.example:6514, or tcp:// without encryption",
	store.TargetMail: "smtp://mail.skerryline.example:587, which must offer STARTTLS, smtps:// for TLS from the " +
		"beginning, or smtp+clear:// without encryption",
}

// checkAddress refuses an address that a kind of target cannot have.
func (s *Service) checkAddress(kind, address string) error {
	bad := func(format string, args ...any) error {
		return refusal.New(refusal.Invalid, format, args...).At("address")
	}
	u, err := url.Parse(address)
	switch {
	case err != nil || u.Hostname() == "" || !slices.Contains(schemes[kind], u.Scheme):
		return bad("the address of a %s target is written like %s", kind, examples[kind])
	case u.User != nil:
		return bad("take the name and password out of the address; it is shown to every owner")
	case u.Fragment != "":
		return bad("take out of the address what follows #; it is never sent")
	case kind != store.TargetWebhook && (u.Port() == "" || u.Path != "" || u.RawQuery != ""):
		return bad("the address of a %s target ends with its port: it is written like %s", kind, examples[kind])
	}
	if port := u.Port(); port != "" {
		if n, err := strconv.Atoi(port); err != nil || n < 1 || n > 65535 {
			return bad("port %s is none; ports are from 1 to 65535", port)
		}
	}
	if err := s.Network.CheckHost(u.Hostname()); err != nil {
		return refusal.New(refusal.Forbidden, "%v", err).At("address")
	}
	if u.Scheme == "http" {
		if a, err := netip.ParseAddr(u.Hostname()); err != nil || !s.Network.Names(a) {
			return bad("use https: what is sent names devices and people; http is for addresses that notify-network " +
				"permits")
		}
	}
	return nil
}

// sender is what delivers to a target.
func (s *Service) sender(t store.NotificationTarget) (transport.Sender, error) {
	u, err := url.Parse(t.Address)
	if err != nil {
		return nil, err
	}
	secret := ""
	if len(t.Secret) > 0 {
		if secret, err = s.Secrets.Open(t.ID, t.Secret); err != nil {
			return nil, err
		}
	}
	roots, err := rootsOf(t.Settings.CA)
	if err != nil {
		return nil, err
	}
	switch t.Kind {
	case store.TargetWebhook:
		return transport.Webhook{URL: t.Address, Source: s.PublicURL, KeyID: t.Name, Secret: []byte(secret),
			Roots: roots,
			Now:   s.Now, Network: s.Network}, nil
	case store.TargetSyslog:
		return transport.Syslog{Address: u.Host, TLS: u.Scheme == "tls", Roots: roots, Host: s.host(),
			Network: s.Network}, nil
	default:
		port, err := strconv.Atoi(u.Port())
		if err != nil {
			return nil, err
		}
		security := map[string]transport.Security{"smtp": transport.StartTLS, "smtps": transport.TLS,
			"smtp+clear": transport.Clear}
		return transport.Mail{Host: u.Hostname(), Port: port, Security: security[u.Scheme], User: t.Settings.User,
				Password: secret,
				From:     t.Settings.From, To: t.Settings.To, Organisation: s.Organisation, Roots: roots,
				Network: s.Network},
			nil
	}
}

// host is what syslog names as the origin.
func (s *Service) host() string {
	if u, err := url.Parse(s.PublicURL); err == nil && u.Hostname() != "" && net.ParseIP(u.Hostname()) == nil {
		return u.Hostname()
	}
	return "rankwarden"
}

// rootsOf reads certificates in PEM, nil for none.
func rootsOf(pem string) (*x509.CertPool, error) {
	if pem == "" {
		return nil, nil
	}
	pool := x509.NewCertPool()
	if !pool.AppendCertsFromPEM([]byte(pem)) {
		return nil, refusal.New(refusal.Invalid,
			"there is no certificate in it; paste certificates in PEM, from BEGIN to END").At("ca")
	}
	return pool, nil
}
