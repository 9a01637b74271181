package hosttest

import (
	"context"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host"
)

// DeedsAccount is the account that deeds are done on.
const DeedsAccount = "rw-check"

// Deed is something that a host does beyond what its own answers show, so that it is looked at by hand.
type Deed struct {
	Name   string // continues a sentence that begins with "a host"
	Before func(ctx context.Context) error
	Do     func(ctx context.Context, h host.Host, account principal.SID) error
	Seen   func(ctx context.Context) error // nil when it was done; none where Do says it
	Undo   func(ctx context.Context) error // removes what stays without the account; nil for nothing
	Rules  *drift.Passwords                // set after Before, and put back
}

// DeedChecks are a check for each.
func DeedChecks(list []Deed) []Check {
	var checks []Check
	for _, d := range list {
		checks = append(checks, Check{d.Name, d.check})
	}
	return checks
}

func (d Deed) check(b *bench) {
	sid := b.opened(DeedsAccount)
	if d.Undo != nil {
		b.undo = append(b.undo, func() error { return d.Undo(context.WithoutCancel(b.ctx)) })
	}
	b.must("preparing it by hand", d.Before(b.ctx))
	if d.Rules != nil {
		b.rules(*d.Rules)
	}
	if d.Do != nil {
		b.must("doing it", d.Do(b.ctx, b.Host, sid))
	}
	if d.Seen != nil {
		b.must("seeing it by hand", d.Seen(b.ctx))
	}
}
