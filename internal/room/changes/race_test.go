package changes_test

import (
	"os"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// races is how often agreement races against edits: RACES says it, and make attack says a thousand.
func races() int {
	if n, err := strconv.Atoi(os.Getenv("RACES")); err == nil {
		return n
	}
	return 25
}

// Somebody agrees, and the change is applied, while others edit the group, the facts and the policy that it depends on:
// whoever becomes an administrator was agreed to, each time.
func TestAgreementRacesAgainstEdits(t *testing.T) {
	f := newFleet(t, 4, gate.Rules{Approvals: gate.Approvals{AddedAdministrators: true}})
	ctx := t.Context()
	p := f.saved("administrators", "mechanic")
	_, err := f.PublishPolicy(ctx, author, "helpers", p.Version, asking)
	require.NoError(t, err)
	gains := effect.AccessEffect{Access: effect.AdministratorGained, Unit: unit.Administrators,
		Subject: "local:mechanic"}
	for range races() {
		f.race(gains)
	}
}

// race is one of them, with a group and an assignment of its own.
func (f *fleet) race(gains effect.AccessEffect) {
	t, ctx := f.t, f.t.Context()
	crew := "crew-" + strings.ToLower(store.NewID(f.Now()))
	f.listed(crew, f.names[0])
	require.Equal(t, "waits_for_approval", f.aim(author, crew, "helpers", crew))
	name := crew + "-2"
	var together sync.WaitGroup
	together.Go(func() {
		if seen, err := f.PreviewChange(ctx, approver, name); err == nil {
			_, _ = f.DecideChange(ctx, approver, name, true, "", seen.Digest) // it may have moved
		}
		if seen, err := f.PreviewChange(ctx, author, name); err == nil {
			_, _ = f.ApplyChange(ctx, author, name, changes.Asking{Seen: seen.Digest, Reason: "race"})
		}
	})
	for _, device := range f.names[1:3] {
		together.Go(func() { _ = f.add(second, crew, device) })
	}
	together.Go(func() {
		path := "pier"
		_ = f.SetFacts(ctx, owner, []changes.Facts{{Device: f.names[3], Path: &path}}, asking)
	})
	together.Go(func() {
		g, err := f.Read(ctx).Group(crew)
		if err == nil {
			_, _ = f.ChangeGroup(ctx, second, crew, devicegroups.Edit{Remove: f.names[:1]}, g.Version, asking)
		}
	})
	together.Wait()
	c, err := f.Change(ctx, name)
	require.NoError(t, err)
	if c.State != store.ChangeDone {
		return // nothing is in force
	}
	agreed, err := f.Read(ctx).Agreement(c.ID)
	require.NoError(t, err)
	g, err := f.Read(ctx).Group(crew)
	require.NoError(t, err)
	listed, err := f.Read(ctx).GroupList(g.ID)
	require.NoError(t, err)
	ids, err := f.Read(ctx).LiveDevices([]string{crew}, nil)
	require.NoError(t, err)
	for _, d := range ids {
		assert.True(t, agreed[gains][d.ID], "%s: an administrator nobody agreed to, among %v", d.ID, listed)
	}
}
