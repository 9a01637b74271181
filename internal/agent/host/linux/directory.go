//go:build linux

package linux

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/core/principal"
)

// people are those of the directory that policies name, and what this device calls them, if it is joined: names come
// from the system's name services, see nsswitch.conf(5).
type people struct {
	entries map[principal.SID]principal.Ref
	names   map[string]looked // by the name that was asked for
	groups  map[string]looked
}

// looked is what a name came to.
type looked struct {
	name string // as the system writes it; empty for nobody
	id   int
	at   time.Time
}

// lookAgain is how long an answer of the name services is kept.
const lookAgain = 10 * time.Minute

// KnowDirectory implements [host.KnowsDirectory].
func (h *Host) KnowDirectory(entries []principal.Entry) {
	h.mu.Lock()
	defer h.mu.Unlock()
	known := make(map[principal.SID]principal.Ref, len(entries))
	for _, e := range entries {
		known[e.SID] = e.Ref
	}
	h.people.entries = known
}

func (p *people) isGroup(sid principal.SID) bool { return p.entries[sid].Kind() == principal.Group }

// name is what the device calls somebody of the directory; empty when nobody of that identifier is named by a policy.
func (p *people) name(ctx context.Context, tools Tools, d database, sid principal.SID) (string, error) {
	ref, known := p.entries[sid]
	if !known {
		return "", nil
	}
	found, err := p.person(ctx, tools, d, ref)
	if err == nil && found.name == "" {
		err = fmt.Errorf("this device does not know %s; join it to the directory, see nsswitch.conf(5)", ref)
	}
	return found.name, err
}

// person looks somebody of the directory up, under the whole name and under the short one. A local account of that name
// is somebody else.
func (p *people) person(ctx context.Context, tools Tools, d database, ref principal.Ref) (looked, error) {
	short, _, _ := strings.Cut(ref.Value(), "@")
	for _, name := range []string{ref.Value(), short} {
		found, err := p.look(ctx, tools, name)
		if err != nil {
			return looked{}, err
		}
		if _, local := d.named(found.name); found.name != "" && !local {
			return found, nil
		}
	}
	return looked{}, nil
}

// look asks the name services for one name.
func (p *people) look(ctx context.Context, tools Tools, name string) (looked, error) {
	if known, there := p.names[name]; there && time.Since(known.at) < lookAgain {
		return known, nil
	}
	found, err := ask(ctx, tools, "passwd", name)
	if err != nil {
		return looked{}, err
	}
	if p.names == nil {
		p.names = map[string]looked{}
	}
	p.names[name] = found
	return found, nil
}

// group is the identifier of a group of the directory by its name: that of the directory where a policy names it, else
// that of the system.
func (p *people) group(ctx context.Context, tools Tools, name string) (sid principal.SID, there bool, err error) {
	found, known := p.groups[name]
	if !known || time.Since(found.at) >= lookAgain {
		if found, err = ask(ctx, tools, "group", name); err != nil {
			return sid, false, err
		}
		if p.groups == nil {
			p.groups = map[string]looked{}
		}
		p.groups[name] = found
	}
	if found.name == "" {
		return sid, false, nil
	}
	for sid, ref := range p.entries {
		short, _, _ := strings.Cut(ref.Value(), "@")
		if ref.Kind() == principal.Group && (strings.EqualFold(ref.Value(), name) || strings.EqualFold(short, name)) {
			return sid, true, nil
		}
	}
	return groupSID(found.id), true, nil
}

// ask looks somebody or a group up; the name is empty for nobody.
func ask(ctx context.Context, tools Tools, what, name string) (looked, error) {
	out, err := tools.run(ctx, "", "getent", what, name)
	found := looked{at: time.Now()}
	if refused := (*ToolError)(nil); errors.As(err, &refused) && refused.Status == 2 { // not found, see getent(1)
		return found, nil
	} else if err != nil {
		return looked{}, fmt.Errorf("asking the name services: %w", err)
	}
	for fields := range records(out, 3) {
		if id, bad := strconv.Atoi(fields[2]); bad == nil {
			found.name, found.id = fields[0], id
		}
	}
	return found, nil
}

// memberSID is the identifier of a member of a group by its name. For one that is no local account it is that of the
// directory where a policy names the person, else that of the system, else one that stands for the name.
func (h *Host) memberSID(ctx context.Context, d database, name string) (principal.SID, error) {
	if p, local := d.named(name); local {
		return p.sid(), nil
	}
	found, err := h.people.look(ctx, h.Tools, name)
	if err != nil {
		return principal.SID{}, err
	}
	if found.name == "" {
		return nobody(name), nil
	}
	for sid, ref := range h.people.entries {
		if ref.Kind() != principal.User {
			continue
		}
		if known, err := h.people.person(ctx, h.Tools, d, ref); err != nil {
			return principal.SID{}, err
		} else if known.name == found.name {
			return sid, nil
		}
	}
	return personSID(found.id), nil
}
