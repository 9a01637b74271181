package transport

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/leodido/go-syslog/v4/rfc5424"
)

// Syslog sends each message as one of syslog (RFC 5424) over TCP, with octet counts (RFC 6587), or over TLS (RFC 5425).
type Syslog struct {
	Address string // HOST:PORT
	TLS     bool
	Roots   *x509.CertPool // nil for those of the system
	Host    string         // that messages name as their origin
	Network
}

// What messages say of themselves (RFC 5424, section 6.2.1): facility 13, log audit; 5 notice, 4 warning. The
// identifier of the structured data has the enterprise number that is kept for examples (RFC 5612).
const (
	facility       = 13
	notice         = 5
	warning        = 4
	structuredData = "rankwarden@32473"
)

// Send implements [Sender]. Syslog has no answers: messages count as taken once the receiver closed the connection
// without an error after all of them, or stayed silent.
func (s Syslog) Send(ctx context.Context, list []Message) (int, error) {
	conn, err := s.dial(ctx, "tcp", s.Address)
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	if err := conn.SetDeadline(time.Now().Add(patience)); err != nil {
		return 0, err
	}
	if s.TLS {
		host, _, _ := net.SplitHostPort(s.Address) // was dialled
		secured := tls.Client(conn, &tls.Config{RootCAs: s.Roots, ServerName: host})
		if err := secured.HandshakeContext(ctx); err != nil {
			return 0, err
		}
		conn = secured
	}
	for _, m := range list {
		line, err := s.line(m)
		if err != nil {
			return 0, err
		}
		if _, err := fmt.Fprintf(conn, "%d %s", len(line), line); err != nil {
			return 0, err
		}
	}
	if half, can := conn.(interface{ CloseWrite() error }); can {
		if err := half.CloseWrite(); err != nil {
			return 0, err
		}
	}
	const silence = time.Second // of a receiver that keeps the connection open
	if err := conn.SetReadDeadline(time.Now().Add(silence)); err != nil {
		return 0, err
	}
	if _, err := io.Copy(io.Discard, conn); err != nil && !errors.Is(err, os.ErrDeadlineExceeded) {
		return 0, err
	}
	return len(list), nil
}

// mostDetails is how many bytes of details a message carries: many collectors cut what is longer, wherever it is.
const mostDetails = 8000

func details(data []byte) string {
	if len(data) > mostDetails {
		return strings.ToValidUTF8(string(data[:mostDetails]), "") + "…"
	}
	return string(data)
}

// line is a message as one of syslog.
func (s Syslog) line(m Message) (string, error) {
	severity := notice
	if m.Urgent {
		severity = warning
	}
	out := &rfc5424.SyslogMessage{}
	out.SetPriority(uint8(facility*8+severity)).SetVersion(1).
		SetTimestamp(m.At.UTC().Format("2006-01-02T15:04:05.000000Z")).
		SetHostname(s.Host).SetAppname("rankwarden").SetProcID(strconv.Itoa(os.Getpid())).SetMsgID(m.Kind).
		SetParameter(structuredData, "id", m.ID).SetParameter(structuredData, "subject", m.Subject).
		SetParameter(structuredData, "details", details(m.Data)).
		SetMessage(strings.ReplaceAll(cmp.Or(m.Line, m.Words), "\n", " "))
	return out.String()
}
