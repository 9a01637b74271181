package fleetsim

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"strings"
	"time"

	"rankwarden.example/core/text"
)

// Hands is somebody at the keyboard of a simulated device, asked for through a socket that only the
// user who runs the fleet can reach.
type Hands struct {
	Device   string `json:"device"`
	Account  string `json:"account"`  // its name now, or the beginning of it
	Password string `json:"password"` // empty: a wrong one
	Times    int    `json:"times"`
}

// Done is what came of it.
type Done struct {
	Name   string `json:"name"` // of the account
	Said   string `json:"said"` // what the operating system said last
	Worked bool   `json:"worked"`
}

const most = 1000 // tries at once

// ServeHands takes requests at a socket until the context ends.
func (f *Fleet) ServeHands(ctx context.Context, path string) error {
	if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the socket of the fleet: %w", err)
	}
	socket, err := net.Listen("unix", path)
	if err != nil {
		return fmt.Errorf("the socket of the fleet: %w", err)
	}
	if err := os.Chmod(path, 0o600); err != nil {
		socket.Close()
		return fmt.Errorf("the socket of the fleet: %w", err)
	}
	s := &http.Server{Handler: http.HandlerFunc(f.hands), ReadTimeout: time.Minute}
	go func() {
		<-ctx.Done()
		s.Close()
	}()
	if err := s.Serve(socket); !errors.Is(err, http.ErrServerClosed) {
		return fmt.Errorf("the socket of the fleet: %w", err)
	}
	return nil
}

func (f *Fleet) hands(w http.ResponseWriter, r *http.Request) {
	var h Hands
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<16)).Decode(&h); err != nil {
		http.Error(w, "the request cannot be read", http.StatusBadRequest)
		return
	}
	d := f.devices[strings.ToUpper(h.Device)]
	if d == nil {
		http.Error(w, fmt.Sprintf("there is no device %q in this fleet", h.Device), http.StatusNotFound)
		return
	}
	done := Done{}
	for _, a := range d.Machine.Machine().Accounts {
		if text.Fold(a.Name) == text.Fold(h.Account) ||
			done.Name == "" && strings.HasPrefix(text.Fold(a.Name), text.Fold(h.Account)) {
			done.Name = a.Name
		}
	}
	if done.Name == "" {
		http.Error(
			w,
			fmt.Sprintf("%s has no account whose name begins with %q", d.Name, h.Account),
			http.StatusNotFound,
		)
		return
	}
	password := h.Password
	if password == "" {
		password = "not the password"
	}
	for range max(1, min(h.Times, most)) {
		err := d.Machine.SignIn(done.Name, password)
		done.Worked = err == nil
		done.Said = "signed in"
		if err != nil {
			done.Said = err.Error()
		}
	}
	_ = json.NewEncoder(w).Encode(done) // who asked is gone otherwise
}

// Ask asks a running fleet.
func Ask(ctx context.Context, path string, h Hands) (Done, error) {
	body, err := json.Marshal(h)
	if err != nil {
		return Done{}, err
	}
	c := http.Client{Transport: &http.Transport{DialContext: func(ctx context.Context, _, _ string) (net.Conn, error) {
		return (&net.Dialer{}).DialContext(ctx, "unix", path)
	}}}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://fleet/", bytes.NewReader(body))
	if err != nil {
		return Done{}, err
	}
	resp, err := c.Do(req)
	if err != nil {
		return Done{}, fmt.Errorf("no demo is running there; start it with make demo: %w", err)
	}
	defer resp.Body.Close()
	answer, err := io.ReadAll(io.LimitReader(resp.Body, 1<<16))
	if err != nil {
		return Done{}, err
	}
	if resp.StatusCode != http.StatusOK {
		return Done{}, errors.New(strings.TrimSpace(string(answer)))
	}
	var done Done
	return done, json.Unmarshal(answer, &done)
}
