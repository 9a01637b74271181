package transport

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"strings"

	"github.com/wneessen/go-mail"
)

// Mail sends messages as one mail (SMTP, RFC 5321), so that nobody gets a thousand in a bad hour.
type Mail struct {
	Host         string
	Port         int
	Security     Security
	User         string // empty to send without signing in
	Password     string
	From         string
	To           []string
	Organisation string
	Roots        *x509.CertPool // nil for those of the system
	Network
}

// Security is how a mail server is spoken with.
type Security int

// The kinds of security.
const (
	StartTLS Security = iota // encrypted before anything is sent
	TLS                      // encrypted from the beginning
	Clear                    // not encrypted; a password is not sent
)

// mostInMail is how many messages are told one by one in a mail.
const mostInMail = 200

// Send implements [Sender].
func (s Mail) Send(ctx context.Context, list []Message) (int, error) {
	m, err := s.write(list)
	if err != nil {
		return 0, &Rejected{err.Error()}
	}
	config := &tls.Config{RootCAs: s.Roots, ServerName: s.Host, MinVersion: tls.VersionTLS12}
	options := []mail.Option{
		mail.WithPort(s.Port), mail.WithTimeout(patience), mail.WithTLSConfig(config), mail.WithDialContextFunc(s.dial),
	}
	switch s.Security {
	case TLS:
		dial := func(ctx context.Context, network, address string) (net.Conn, error) {
			plain, err := s.dial(ctx, network, address)
			if err != nil {
				return nil, err
			}
			secured := tls.Client(plain, config)
			if err := secured.HandshakeContext(ctx); err != nil {
				return nil, errors.Join(err, plain.Close())
			}
			return secured, nil
		}
		options = append(options, mail.WithSSL(), mail.WithDialContextFunc(dial))
	case StartTLS:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	default:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	}
	if s.User != "" && s.Security != Clear {
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.User),
			mail.WithPassword(s.Password))
	}
	c, err := mail.NewClient(s.Host, options...)
	if err != nil {
		return 0, err
	}
	if err := c.DialAndSendWithContext(ctx, m); err != nil {
		return 0, err
	}
	return len(list), nil
}

// write writes one mail that tells all messages.
func (s Mail) write(list []Message) (*mail.Msg, error) {
	m := mail.NewMsg()
	if err := errors.Join(m.From(s.From), m.To(s.To...)); err != nil {
		return nil, err
	}
	subject := list[0].Words
	if len(list) > 1 {
		subject = fmt.Sprintf("%d notifications", len(list))
	}
	m.Subject(fmt.Sprintf("[Rank Warden, %s] %s", s.Organisation, strings.Join(strings.Fields(subject), " ")))
	m.SetMessageIDWithValue(list[0].ID + "@rankwarden")
	m.SetDate()
	var b strings.Builder
	for _, one := range list[:min(len(list), mostInMail)] {
		fmt.Fprintf(&b, "%s\n%s\n", one.At.UTC().Format("2006-01-02 15:04:05 UTC"), one.Words)
		if one.Link != "" {
			fmt.Fprintf(&b, "%s\n", one.Link)
		}
		b.WriteString("\n")
	}
	if more := len(list) - mostInMail; more > 0 {
		fmt.Fprintf(&b, "and %d more.\n", more)
	}
	m.SetBodyString(mail.TypeTextPlain, b.String())
	return m, nil
}
