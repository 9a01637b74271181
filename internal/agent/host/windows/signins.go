package windows

import (
	"context"
	"encoding/xml"
	"fmt"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/agent/host"
)

// Events of the Security log: somebody signed in, an account was locked.
const (
	eventSignIn = 4624
	eventLocked = 4740
)

// eventsOf is the query for events with these numbers.
func eventsOf(ids ...int) string {
	var terms []string
	for _, id := range ids {
		terms = append(terms, fmt.Sprintf("EventID=%d", id))
	}
	return "*[System[" + strings.Join(terms, " or ") + "]]"
}

// event is what the host reads of one, after the schema of events.
type event struct {
	System struct {
		TimeCreated struct {
			SystemTime time.Time `xml:"SystemTime,attr"`
		}
	}
	EventData struct {
		Data []struct {
			Name  string `xml:"Name,attr"`
			Value string `xml:",chardata"`
		}
	}
}

func (e *event) value(name string) string {
	for _, d := range e.EventData.Data {
		if d.Name == name {
			return strings.TrimSpace(d.Value)
		}
	}
	return ""
}

// events gives events newest first, until one is the last that is wanted.
func (h *Host) events(query string, more func(event) bool) error {
	var unread error
	err := h.system.Events(query, func(text string) bool {
		var e event
		if unread = xml.Unmarshal([]byte(text), &e); unread != nil {
			return false
		}
		return more(e)
	})
	if err == nil && unread != nil {
		err = fmt.Errorf("an event cannot be read: %w", unread)
	}
	return err
}

// Types of a sign-in, see SECURITY_LOGON_TYPE in ntsecapi.h: those in which somebody uses a password, and not a
// service.
const fromNetwork = "3"

var byPeople = []string{"2", fromNetwork, "7", "8", "10", "11"}

// mostSignIns bounds what is read at once; after more of them the rest is told the next time.
const mostSignIns = 10_000

// SignIns implements [host.Host]. The number of a sign-in is the microsecond in which it was written, which a log that
// is cleared does not begin again. What the agent itself tried is no sign-in.
func (h *Host) SignIns(ctx context.Context, after int64) ([]host.SignIn, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	users, err := h.system.Users()
	if err != nil {
		return nil, fmt.Errorf("reading accounts: %w", err)
	}
	known := map[string]principal.SID{}
	for _, u := range users {
		known[h.sid(u.RID).String()] = h.sid(u.RID)
	}
	var found []host.SignIn
	err = h.events(eventsOf(eventSignIn), func(e event) bool {
		s := host.SignIn{
			Number:  e.System.TimeCreated.SystemTime.UnixMicro(),
			At:      e.System.TimeCreated.SystemTime.UTC(),
			Account: known[e.value("TargetUserSid")],
		}
		kind := e.value("LogonType")
		own := kind == fromNetwork && strings.EqualFold(e.value("ProcessName"), h.machine.Program)
		if s.Number > after && slices.Contains(byPeople, kind) && !own {
			found = append(found, s)
		}
		return s.Number > after && len(found) < mostSignIns
	})
	slices.Reverse(found)
	return found, err
}

// Watch implements [host.Host].
func (h *Host) Watch() <-chan struct{} { return h.watch }

func (h *Host) tell() {
	select {
	case h.watch <- struct{}{}:
	default: // it was told already
	}
}

// lockedUntil is when an account that is locked opens again; nil is when somebody unlocks it, or when the log does not
// tell any more when it was locked.
func (h *Host) lockedUntil(account principal.SID, rule unit.LockoutRule) (*time.Time, error) {
	if rule.DurationMinutes == 0 {
		return nil, nil
	}
	var until *time.Time
	err := h.events(eventsOf(eventLocked), func(e event) bool {
		if e.value("TargetSid") != account.String() {
			return true
		}
		until = new(e.System.TimeCreated.SystemTime.UTC().Add(time.Duration(rule.DurationMinutes) * time.Minute))
		return false
	})
	if err != nil {
		return nil, fmt.Errorf("reading when an account was locked: %w", err)
	}
	return until, nil
}
