// Package receiver is a small stand-in for the systems that notifications go to, for the demo and for tests: a webhook,
// a collector of syslog and a mail server. It keeps in memory what arrived.
package receiver

import (
	"bufio"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"

	"github.com/emersion/go-smtp"
)

// Receiver is a stand-in; the zero Receiver is ready. Its methods may be called at once.
type Receiver struct {
	// Secret verifies the signatures of webhooks; empty takes every request.
	Secret string
	// Status is what the webhook answers with, 204 where it gives 0.
	Status func(n int) int

	mu     sync.Mutex
	asked  int
	events []Event
	lines  []string
	mails  []Mail
}

// Event is one that arrived at the webhook (CloudEvents 1.0).
type Event struct {
	SpecVersion string `json:"specversion"`
	ID          string `json:"id"`
	Source      string `json:"source"`
	Type        string `json:"type"`
	Subject     string `json:"subject"`
	Data        struct {
		Message string          `json:"message"`
		Link    string          `json:"link"`
		Details json.RawMessage `json:"details"`
	} `json:"data"`
}

// Mail is one that arrived.
type Mail struct {
	From string
	To   []string
	Text string
}

// Events are those that arrived so far.
func (r *Receiver) Events() []Event { return copied(r, &r.events) }

// Lines are the messages of syslog that arrived so far.
func (r *Receiver) Lines() []string { return copied(r, &r.lines) }

// Mails are those that arrived so far.
func (r *Receiver) Mails() []Mail { return copied(r, &r.mails) }

func copied[T any](r *Receiver, list *[]T) []T {
	r.mu.Lock()
	defer r.mu.Unlock()
	return append([]T{}, *list...)
}

// Asked is how many requests the webhook got.
func (r *Receiver) Asked() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.asked
}

// ServeHTTP is the webhook.
func (r *Receiver) ServeHTTP(w http.ResponseWriter, req *http.Request) {
	body, err := io.ReadAll(req.Body)
	r.mu.Lock()
	defer r.mu.Unlock()
	r.asked++
	status := http.StatusNoContent
	if r.Status != nil {
		if s := r.Status(r.asked); s != 0 {
			status = s
		}
	}
	var e Event
	switch {
	case err != nil || json.Unmarshal(body, &e) != nil:
		status = http.StatusBadRequest
	case r.Secret != "" && Verify(req, body, r.Secret) != nil:
		status = http.StatusUnauthorized
	}
	if status < 300 {
		r.events = append(r.events, e)
	}
	if status >= 300 && status < 400 {
		w.Header().Set("Location", "http://127.0.0.1:1/elsewhere")
	}
	w.WriteHeader(status)
}

var input = regexp.MustCompile(`^rankwarden=(\(([^)]*)\);created=\d+;.*)$`)

// Verify checks the signature of a request with the shared secret, as any receiver may (RFC 9421, section 3.2): it
// covers the digest of the body, and the address.
func Verify(req *http.Request, body []byte, secret string) error {
	digest := sha256.Sum256(body)
	if req.Header.Get("Content-Digest") != "sha-256=:"+base64.StdEncoding.EncodeToString(digest[:])+":" {
		return errors.New("the body is not that of the digest")
	}
	found := input.FindStringSubmatch(req.Header.Get("Signature-Input"))
	if found == nil {
		return errors.New("there is no signature")
	}
	scheme := map[bool]string{true: "https", false: "http"}[req.TLS != nil]
	var base strings.Builder
	covered := map[string]bool{}
	for component := range strings.FieldsSeq(found[2]) {
		name := strings.Trim(component, `"`)
		covered[name] = true
		value := req.Header.Get(name)
		switch name {
		case "@method":
			value = req.Method
		case "@target-uri":
			value = scheme + "://" + req.Host + req.URL.RequestURI()
		}
		fmt.Fprintf(&base, "%q: %s\n", name, value)
	}
	fmt.Fprintf(&base, `"@signature-params": %s`, found[1])
	if !covered["content-digest"] || !covered["@target-uri"] {
		return errors.New("the signature does not cover what matters")
	}
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(base.String()))
	want := "rankwarden=:" + base64.StdEncoding.EncodeToString(mac.Sum(nil)) + ":"
	if !hmac.Equal([]byte(want), []byte(req.Header.Get("Signature"))) {
		return errors.New("the signature is wrong")
	}
	return nil
}

// CollectSyslog takes messages of syslog with octet counts (RFC 6587, RFC 5425) until the listener is closed.
func (r *Receiver) CollectSyslog(l net.Listener) {
	for {
		conn, err := l.Accept()
		if err != nil {
			return
		}
		go func() {
			defer conn.Close()
			in := bufio.NewReader(conn)
			for {
				count, err := in.ReadString(' ')
				if err != nil {
					return
				}
				n, err := strconv.Atoi(strings.TrimSpace(count))
				if err != nil || n < 1 || n > 1<<20 {
					return
				}
				line := make([]byte, n)
				if _, err := io.ReadFull(in, line); err != nil {
					return
				}
				r.mu.Lock()
				r.lines = append(r.lines, string(line))
				r.mu.Unlock()
			}
		}()
	}
}

// MailServer is a mail server that keeps everything for itself.
func (r *Receiver) MailServer() *smtp.Server {
	s := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &mailSession{r: r}, nil }))
	s.Domain = "mail.skerryline.example"
	return s
}

// mailSession is one mail on its way in.
type mailSession struct {
	r    *Receiver
	mail Mail
}

// Reset implements [smtp.Session].
func (s *mailSession) Reset() { s.mail = Mail{} }

// Logout implements [smtp.Session].
func (s *mailSession) Logout() error { return nil }

// Mail implements [smtp.Session].
func (s *mailSession) Mail(from string, _ *smtp.MailOptions) error { s.mail.From = from; return nil }

// Rcpt implements [smtp.Session].
func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.mail.To = append(s.mail.To, to)
	return nil
}

// Data implements [smtp.Session].
func (s *mailSession) Data(from io.Reader) error {
	data, err := io.ReadAll(from)
	if err != nil {
		return err
	}
	s.mail.Text = string(data)
	s.r.mu.Lock()
	defer s.r.mu.Unlock()
	s.r.mails = append(s.r.mails, s.mail)
	return nil
}
