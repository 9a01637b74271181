package simulated

import (
	"context"
	"fmt"
	"slices"

	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// CreateGroup implements [host.Host].
func (w *Workstation) CreateGroup(ctx context.Context, name string) (sid principal.SID, err error) {
	err = w.change(ctx, func() error {
		if err := w.checkNameFree(name); err != nil {
			return err
		}
		sid = principal.MustSID(fmt.Sprintf("%s-%d", w.m.Domain, w.m.NextID))
		w.m.NextID++
		w.m.Groups = append(w.m.Groups, Group{Name: name, SID: sid, Members: []principal.SID{}})
		return nil
	})
	return sid, err
}

// DeleteGroup implements [host.Host].
func (w *Workstation) DeleteGroup(ctx context.Context, group principal.SID) error {
	return w.change(ctx, func() error {
		switch g := w.group(group); {
		case g == nil:
			return ErrNoGroup
		case len(g.Members) > 0:
			return host.ErrNotEmpty
		}
		w.m.Groups = slices.DeleteFunc(w.m.Groups, func(g Group) bool { return g.SID == group })
		return nil
	})
}
