package cuts

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"net/http"
	"os"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/protocol"
)

// power is the device's: every step that outlasts it uses some up, and when there is none left
// nothing more happens until it checks in back.
type power struct{ left int } // steps, negative for as many as there are

func (p *power) step() error {
	if p.left == 0 {
		return simulated.ErrCut
	}
	if p.left > 0 {
		p.left--
	}
	return nil
}

// write is a disk that is there as long as the power is. A file is written whole or not at all.
func (p *power) write(path string, data []byte, mode os.FileMode) error {
	if err := p.step(); err != nil {
		return err
	}
	return os.WriteFile(path, data, mode) // a power cut comes between calls, so it need not be synced
}

// workstation is a simulated one whose power may go before any change.
type workstation struct {
	*simulated.Workstation
	power *power
}

func (w *workstation) CreateAccount(ctx context.Context, name string) (principal.SID, error) {
	if err := w.power.step(); err != nil {
		return principal.SID{}, err
	}
	return w.Workstation.CreateAccount(ctx, name)
}

func (w *workstation) RenameAccount(ctx context.Context, sid principal.SID, name string) error {
	return w.change(func() error { return w.Workstation.RenameAccount(ctx, sid, name) })
}

func (w *workstation) EnableAccount(ctx context.Context, sid principal.SID, enabled bool) error {
	return w.change(func() error { return w.Workstation.EnableAccount(ctx, sid, enabled) })
}

func (w *workstation) DescribeAccount(ctx context.Context, sid principal.SID, d unit.Details) error {
	return w.change(func() error { return w.Workstation.DescribeAccount(ctx, sid, d) })
}

func (w *workstation) SetPassword(ctx context.Context, sid principal.SID, password string) error {
	return w.change(func() error { return w.Workstation.SetPassword(ctx, sid, password) })
}

func (w *workstation) CheckPassword(ctx context.Context, sid principal.SID, password string) error {
	return w.change(func() error { return w.Workstation.CheckPassword(ctx, sid, password) })
}

func (w *workstation) EndSessions(ctx context.Context, sid principal.SID) error {
	return w.change(func() error { return w.Workstation.EndSessions(ctx, sid) })
}

func (w *workstation) AddMember(ctx context.Context, group, member principal.SID) error {
	return w.change(func() error { return w.Workstation.AddMember(ctx, group, member) })
}

func (w *workstation) RemoveMember(ctx context.Context, group, member principal.SID) error {
	return w.change(func() error { return w.Workstation.RemoveMember(ctx, group, member) })
}

func (w *workstation) SetLockout(ctx context.Context, rule unit.LockoutRule) error {
	return w.change(func() error { return w.Workstation.SetLockout(ctx, rule) })
}

func (w *workstation) Read(ctx context.Context) (drift.State, error) {
	if w.power.left == 0 {
		return drift.State{}, simulated.ErrCut
	}
	return w.Workstation.Read(ctx)
}

// change does something, unless the power goes before it.
func (w *workstation) change(do func() error) error {
	if err := w.power.step(); err != nil {
		return err
	}
	return do()
}

// link is the device's way to the service: it loses, delays and repeats.
type link struct {
	rand  *rand.Rand
	bad   bool
	power *power
	late  []*http.Request // sent, and not arrived yet
}

var errLost = errors.New("lost on the way")

// RoundTrip implements [http.RoundTripper].
func (l *link) RoundTrip(req *http.Request) (*http.Response, error) {
	if err := l.power.step(); err != nil {
		return nil, err
	}
	if !l.bad || req.URL.Path == protocol.PathKeys {
		return http.DefaultTransport.RoundTrip(req)
	}
	body := []byte{}
	if req.Body != nil {
		var err error
		if body, err = io.ReadAll(req.Body); err != nil {
			return nil, err
		}
	}
	again := func() *http.Request {
		r := req.Clone(context.WithoutCancel(req.Context()))
		r.Body = io.NopCloser(bytes.NewReader(body))
		return r
	}
	l.arrive(0.3)
	switch l.rand.IntN(12) {
	case 0: // lost on the way there
		return nil, errLost
	case 1: // lost on the way back
		l.send(again())
		return nil, errLost
	case 2: // delivered twice
		l.send(again())
	case 3: // delivered later
		l.late = append(l.late, again())
		return nil, errLost
	}
	return http.DefaultTransport.RoundTrip(again())
}

// arrive delivers what is late, each with a chance.
func (l *link) arrive(chance float64) {
	var still []*http.Request
	for _, r := range l.late {
		if l.rand.Float64() < chance {
			l.send(r)
		} else {
			still = append(still, r)
		}
	}
	l.late = still
}

// send delivers a request whose answer nobody waits for.
func (l *link) send(r *http.Request) {
	if resp, err := http.DefaultTransport.RoundTrip(r); err == nil {
		_, _ = io.Copy(io.Discard, resp.Body) // nobody waits for it
		resp.Body.Close()
	}
}
