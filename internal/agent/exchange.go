package agent

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/internal/wire/protocol"
)

const maxAnswer = 4 << 20 // bytes

// post sends a document and gives the body of the answer.
func (a *Agent) post(ctx context.Context, path, document string) (string, error) {
	if len(document) > protocol.MaxRequest { // the service would cut it off
		return "", &protocol.Refusal{
			Status: http.StatusRequestEntityTooLarge,
			Code:   protocol.CodeTooLarge,
			Detail: fmt.Sprintf("it has %d bytes, and the service takes %d", len(document), protocol.MaxRequest),
		}
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, a.Service+path, bytes.NewReader([]byte(document)))
	if err != nil {
		return "", err
	}
	req.Header.Set("Content-Type", protocol.ContentType)
	return a.do(req)
}

func (a *Agent) do(req *http.Request) (string, error) {
	resp, err := a.HTTP.Do(req)
	if err != nil {
		return "", &protocol.Unreachable{Why: err}
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(io.LimitReader(resp.Body, maxAnswer))
	if err != nil {
		return "", &protocol.Unreachable{Why: err}
	}
	if resp.StatusCode != http.StatusOK {
		r := &protocol.Refusal{}
		if json.Unmarshal(body, r) != nil || r.Detail == "" {
			r.Detail = resp.Status
		}
		r.Status = resp.StatusCode
		if seconds, err := strconv.Atoi(resp.Header.Get("Retry-After")); err == nil && seconds > 0 {
			r.After = min(time.Duration(seconds)*time.Second, time.Hour)
		}
		return "", r
	}
	return string(body), nil
}

// FetchKeys reads the key list, takes it when the trusted root signed it and it is newer, and then
// the service's time.
func (a *Agent) FetchKeys(ctx context.Context) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, a.Service+protocol.PathKeys, nil)
	if err != nil {
		return err
	}
	document, err := a.do(req)
	if err != nil {
		return err
	}
	var keys protocol.Keys
	if err := json.Unmarshal([]byte(document), &keys); err != nil {
		return fmt.Errorf("%w: %w", ErrAnswer, err)
	}
	if err := a.takeKeys(keys.KeyList); err != nil {
		return err
	}
	var told protocol.ServiceTime
	header, err := a.openSigned(keys.Time, &told)
	if err != nil || header.URL != protocol.PathKeys {
		return ErrAnswer
	}
	a.setTime(told.Time)
	return nil
}

// openSigned checks that a live key of the service signed a document, and reads it.
func (a *Agent) openSigned(document string, into any) (protocol.Header, error) {
	signed, err := protocol.Parse(document)
	if err != nil {
		return protocol.Header{}, fmt.Errorf("%w: %w", ErrAnswer, err)
	}
	key, known := a.journal.KeyList.Signing(signed.Header.KeyID)
	if !known {
		return protocol.Header{}, fmt.Errorf("%w: it is signed by a key that is not on the key list", ErrAnswer)
	}
	header, err := protocol.Open(document, key, into)
	if err != nil {
		return header, fmt.Errorf("%w: %w", ErrAnswer, err)
	}
	return header, nil
}

func (a *Agent) takeKeys(document string) error {
	list, err := protocol.OpenKeyList(document, a.journal.Root)
	if err != nil {
		return err
	}
	held := a.journal.KeyList
	if list.Epoch > held.Epoch || list.Epoch == held.Epoch && list.Number > held.Number {
		a.journal.KeyList = list
	}
	return nil
}

// sign signs a request of this device.
func (a *Agent) sign(path string, seq int64, payload any) (string, error) {
	key := protocol.Key{ID: a.journal.Device, Private: a.journal.Key}
	return protocol.Sign(
		key,
		protocol.Header{KeyID: key.ID, URL: path, Time: a.claimed(), Sequence: seq},
		payload,
		false,
	)
}

// ErrAnswer is given for an answer that is not the service's, or not to this request.
var ErrAnswer = errors.New("the answer is not one of the service's to this request; somebody may stand between")

// open checks that a live key of the service signed the answer to this very request, and keeps the
// service's time.
func (a *Agent) open(document, request string, into any) error {
	header, err := a.openSigned(document, into)
	if err != nil {
		return err
	}
	if header.Answers != protocol.Digest([]byte(request)) {
		return ErrAnswer
	}
	a.setTime(header.Time)
	return nil
}

// openDesired checks a desired state: signed by a live key, for this device, and newer than what it
// holds.
func (a *Agent) openDesired(document string) error {
	var raw json.RawMessage
	if _, err := a.openSigned(document, &raw); err != nil {
		return fmt.Errorf("the desired state: %w", err)
	}
	var d protocol.DesiredState
	if err := json.Unmarshal(raw, &d); err != nil {
		return fmt.Errorf("%w: the desired state: %w", ErrAnswer, err)
	}
	stamp := drift.Stamp{Epoch: d.Epoch, Number: d.Number, Digest: protocol.Digest(raw)}
	switch {
	case d.Format != protocol.DesiredFormat:
		return fmt.Errorf("%w: the desired state has the format %q", ErrAnswer, d.Format)
	case d.Device != a.journal.Device:
		return fmt.Errorf("%w: the desired state is another device's", ErrAnswer)
	case d.Epoch != a.journal.KeyList.Epoch:
		return fmt.Errorf(
			"%w: the desired state is of epoch %d, but the key list announces epoch %d",
			ErrAnswer,
			d.Epoch,
			a.journal.KeyList.Epoch,
		)
	case !stamp.Newer(a.journal.Desired):
		return fmt.Errorf(
			"%w: the desired state %d/%d is not newer than %d/%d",
			ErrAnswer,
			d.Epoch,
			d.Number,
			a.journal.Desired.Epoch,
			a.journal.Desired.Number,
		)
	}
	a.journal.Desired, a.journal.Asked = stamp, d.DesiredContent
	return nil
}
