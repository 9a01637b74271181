package directory

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/url"
	"time"

	"github.com/go-ldap/ldap/v3"
)

// Connection says how a directory is reached.
type Connection struct {
	URL      string // ldaps://HOST or ldap://HOST
	StartTLS bool   // encrypt an ldap:// connection before anything is sent (RFC 4511 section 4.14)
	CA       []byte // certificates to trust in PEM; the system's when empty
	BindDN   string // who to bind as; anonymous when empty
	Password string
	BaseDN   string // where people and groups are found
	Insecure bool   // allow a password in clear to leave this machine
}

// pageSize is how many entries one answer brings (RFC 2696).
const pageSize = 500

// dialTimeout is how long a directory may take to answer a connection.
const dialTimeout = 10 * time.Second

// ErrConnection is matched by the errors for a directory that cannot be read.
var ErrConnection = errors.New("directory")

// filter finds people and groups (RFC 4515).
const filter = "(|(objectClass=person)(objectClass=group)(objectClass=groupOfNames)" +
	"(objectClass=groupOfUniqueNames)(objectClass=posixGroup))"

// Check refuses settings that cannot work, or would show a password on the network.
func (c Connection) Check() error {
	u, err := url.Parse(c.URL)
	if err != nil || u.Scheme != "ldap" && u.Scheme != "ldaps" || u.Hostname() == "" {
		return fmt.Errorf(
			"%w: %q is no address of a directory; write ldaps://HOST or ldap://HOST",
			ErrConnection,
			c.URL,
		)
	}
	if c.BaseDN == "" {
		return fmt.Errorf(
			"%w: no base is given; write where people and groups are, such as dc=skerryline,dc=example",
			ErrConnection,
		)
	}
	if _, err := ldap.ParseDN(c.BaseDN); err != nil {
		return fmt.Errorf("%w: the base %q cannot be read: %w", ErrConnection, c.BaseDN, err)
	}
	ip := net.ParseIP(u.Hostname())
	loopback := u.Hostname() == "localhost" || ip != nil && ip.IsLoopback()
	if c.Password != "" && u.Scheme == "ldap" && !c.StartTLS && !c.Insecure && !loopback {
		return fmt.Errorf("%w: %s would send the password in clear; use ldaps:// or StartTLS", ErrConnection, c.URL)
	}
	if len(c.CA) > 0 && !x509.NewCertPool().AppendCertsFromPEM(c.CA) {
		return fmt.Errorf("%w: the file of trusted certificates holds none", ErrConnection)
	}
	return nil
}

// Fetch reads all people and groups.
func (c Connection) Fetch(ctx context.Context) ([]Entry, []SkippedEntry, error) {
	if err := c.Check(); err != nil {
		return nil, nil, err
	}
	conn, err := c.dial()
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", ErrConnection, err)
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	if c.BindDN == "" {
		err = conn.UnauthenticatedBind("")
	} else {
		err = conn.Bind(c.BindDN, c.Password)
	}
	if err != nil {
		return nil, nil, fmt.Errorf("%w: signing in as %q: %w", ErrConnection, c.BindDN, err)
	}
	request := ldap.NewSearchRequest(
		c.BaseDN,
		ldap.ScopeWholeSubtree,
		ldap.NeverDerefAliases,
		0,
		0,
		false,
		filter,
		attributes,
		nil,
	)
	result, err := conn.SearchWithPaging(request, pageSize)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: reading %s: %w", ErrConnection, c.BaseDN, errors.Join(ctx.Err(), err))
	}
	entries, skipped := take(result.Entries)
	return entries, skipped, nil
}

func (c Connection) dial() (*ldap.Conn, error) {
	u, err := url.Parse(c.URL)
	if err != nil {
		return nil, err
	}
	settings := &tls.Config{ServerName: u.Hostname(), MinVersion: tls.VersionTLS12}
	if len(c.CA) > 0 {
		settings.RootCAs = x509.NewCertPool()
		settings.RootCAs.AppendCertsFromPEM(c.CA)
	}
	conn, err := ldap.DialURL(
		c.URL,
		ldap.DialWithTLSConfig(settings),
		ldap.DialWithDialer(&net.Dialer{Timeout: dialTimeout}),
	)
	if err != nil {
		return nil, err
	}
	conn.SetTimeout(time.Minute)
	if c.StartTLS {
		if err := conn.StartTLS(settings); err != nil {
			conn.Close()
			return nil, err
		}
	}
	return conn, nil
}
