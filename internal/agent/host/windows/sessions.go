package windows

import (
	"context"
	"errors"
	"fmt"
	"time"

	"rankwarden.example/core/principal"
)

// EndSessions implements [host.Host]: sessions first, then whatever still runs as the account.
func (h *Host) EndSessions(ctx context.Context, account principal.SID) error {
	return h.on(ctx, account, func(u User) error { return h.endSessions(ctx, u) })
}

// WhoIsThere implements [host.TellsWhoIsThere].
func (h *Host) WhoIsThere(context.Context) (names []string, err error) {
	sessions, err := h.system.Sessions()
	if err != nil {
		return nil, fmt.Errorf("reading sessions: %w", err)
	}
	for _, s := range sessions {
		if s.User != "" {
			names = append(names, s.Domain+`\`+s.User)
		}
	}
	return names, nil
}

// How long programs that are told to end may take, and how often it is looked at.
const (
	mostWait = 10 * time.Second
	lookAt   = 50 * time.Millisecond
)

func (h *Host) endSessions(ctx context.Context, u User) error {
	sessions, err := h.system.Sessions()
	if err != nil {
		return fmt.Errorf("reading sessions: %w", err)
	}
	for _, s := range sessions {
		if h.is(s, u) {
			if err := h.system.EndSession(s.ID); err != nil {
				return fmt.Errorf("ending a session: %w", err)
			}
		}
	}
	for end := time.Now().Add(mostWait); ; {
		left, err := h.endProcesses(u)
		if left == 0 && err == nil {
			return nil
		}
		if time.Now().After(end) {
			return errors.Join(fmt.Errorf("%d programs of %s do not end", left, u.Name), err)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(lookAt):
		}
	}
}

// endProcesses ends the programs of an account, and says how many there were. One that has ended by itself meanwhile is
// an error, and not there any more the next time.
func (h *Host) endProcesses(u User) (left int, err error) {
	processes, err := h.system.Processes()
	if err != nil {
		return 0, fmt.Errorf("reading programs: %w", err)
	}
	for _, p := range processes {
		if p.SID == h.sid(u.RID) {
			left++
			err = errors.Join(err, h.system.EndProcess(p.ID))
		}
	}
	return left, err
}

// noticeTitle is that of what people are told.
const noticeTitle = "Rank Warden"

// Notify implements [host.Host]: everybody who is signed in is told.
func (h *Host) Notify(ctx context.Context, message string) error {
	return h.change(ctx, func() error {
		sessions, err := h.system.Sessions()
		if err != nil {
			return fmt.Errorf("reading sessions: %w", err)
		}
		for _, s := range sessions {
			if s.User != "" {
				err = errors.Join(err, h.system.Message(s.ID, noticeTitle, message))
			}
		}
		return err
	})
}

// Restart implements [host.Host].
func (h *Host) Restart(ctx context.Context) error {
	return h.change(ctx, func() error { return h.system.Restart("An administrator restarts this device.") })
}
