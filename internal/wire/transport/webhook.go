package transport

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/cloudevents/sdk-go/v2/event"
)

// TypePrefix begins the types of events; a kind follows, with a full stop for the underscore.
const TypePrefix = "example.rankwarden."

// Webhook sends each message as a CloudEvent (version 1.0, HTTP binding in structured mode), signed with a shared
// secret. It follows no redirect.
type Webhook struct {
	URL    string
	Source string // of the events: where people reach the console
	KeyID  string
	Secret []byte
	Roots  *x509.CertPool // nil for those of the system
	Now    func() time.Time
	Network
}

// Send implements [Sender].
func (h Webhook) Send(ctx context.Context, list []Message) (sent int, err error) {
	to := &http.Transport{
		DialContext: h.dial, TLSClientConfig: &tls.Config{RootCAs: h.Roots}, TLSHandshakeTimeout: patience,
		ForceAttemptHTTP2: true,
	}
	defer to.CloseIdleConnections()
	c := &http.Client{Transport: to, Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	for _, m := range list {
		if err := h.post(ctx, c, m); err != nil {
			return sent, err
		}
		sent++
	}
	return sent, nil
}

// CloudEvent is a message as an event.
func CloudEvent(m Message, source string) ([]byte, error) {
	e := event.New()
	e.SetID(m.ID)
	e.SetSource(source)
	e.SetType(TypePrefix + strings.Replace(m.Kind, "_", ".", 1))
	e.SetSubject(m.Subject)
	e.SetTime(m.At.UTC())
	data, err := json.Marshal(map[string]any{"message": m.Words, "link": m.Link, "urgent": m.Urgent, "details": m.Data})
	if err != nil {
		return nil, err
	}
	if err := e.SetData(event.ApplicationJSON, json.RawMessage(data)); err != nil {
		return nil, err
	}
	if err := e.Validate(); err != nil {
		return nil, err
	}
	return json.Marshal(e)
}

func (h Webhook) post(ctx context.Context, c *http.Client, m Message) error {
	body, err := CloudEvent(m, h.Source)
	if err != nil {
		return &Rejected{"it cannot be written as an event: " + err.Error()}
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	if req.URL.Path == "" {
		req.URL.Path = "/" // as it is sent, and signed
	}
	req.Header.Set("Content-Type", "application/cloudevents+json; charset=utf-8")
	req.Header.Set("User-Agent", "Rank Warden")
	sign(req, body, h.KeyID, h.Secret, h.Now())
	resp, err := c.Do(req)
	if err != nil {
		return plain(err)
	}
	defer resp.Body.Close()
	_, _ = io.CopyN(io.Discard, resp.Body, 64<<10) // so that the connection can be used again
	switch status := resp.StatusCode; {
	case status >= 200 && status < 300:
		return nil
	case status >= 300 && status < 400:
		return fmt.Errorf("the receiver answered with status %d, a redirect, which is not followed; give the address "+
			"that it leads to", status)
	case status == http.StatusBadRequest, status == http.StatusRequestEntityTooLarge,
		status == http.StatusUnprocessableEntity:
		return &Rejected{fmt.Sprintf("status %d", status)}
	default:
		return fmt.Errorf("the receiver answered with status %d", status)
	}
}

// plain leaves out of an error of a request the address that it went to: it can hold a secret.
func plain(err error) error {
	if of, is := errors.AsType[*url.Error](err); is {
		return of.Err
	}
	return err
}
