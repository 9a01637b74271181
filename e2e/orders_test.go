package e2e

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/agent/host/simulated"
)

func (s *service) order(kind, subject string, devices ...string) {
	batch, err := s.owner.SendOrder(s.t.Context(), api.NewOrder{Kind: kind, Subject: subject, Devices: devices})
	require.NoError(s.t, err)
	require.Equal(s.t, len(devices), batch.Given)
}

// became says what became of the orders of a device, latest first.
func (s *service) became(device string) []string {
	page, err := s.owner.Orders(s.t.Context(), client.PastQuery{Device: device}, client.Page{})
	require.NoError(s.t, err)
	var list []string
	for _, o := range page.Items {
		list = append(list, fmt.Sprintf("%s %s", o.Kind, o.State))
	}
	return list
}

// carried lets a device check in until its latest order has come to the state.
func (s *service) carried(d *device, name, want string) {
	s.t.Helper()
	s.until(func() bool {
		require.NoError(s.t, d.Cycle(s.t.Context()))
		return s.became(name)[0] == want
	})
}

func TestOrders(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	counter := d.AddAccount("counter")
	require.NoError(t, d.SetPassword(t.Context(), counter, "known"))
	for range 10 {
		require.Error(t, d.SignIn("counter", "wrong"))
	}
	require.NoError(t, d.Cycle(t.Context()))
	locked := func() (is bool) {
		for _, a := range s.why("SKL-TKT-001").Accounts {
			is = is || a.Name == "counter" && a.Locked
		}
		return is
	}
	require.True(t, locked())

	// Unlock, seen as it goes.
	s.order("unlock", "local:counter", "skl-tkt-001")
	assert.Equal(t, []string{"unlock queued"}, s.became("SKL-TKT-001"))
	s.carried(d, "SKL-TKT-001", "unlock done")
	assert.False(t, locked())
	require.NoError(t, d.SignIn("counter", "known"))
	require.True(t, d.SignedIn(counter))
	s.order("end-sessions", "sid:"+counter.String(), "SKL-TKT-001")
	s.carried(d, "SKL-TKT-001", "end-sessions done")
	assert.False(t, d.SignedIn(counter))
	assert.Equal(
		t,
		"all sessions of the account counter were ended by an order",
		s.events(client.EventQuery{Kind: "sessions_ended"})[0].Words,
	)
	assert.Len(t, s.why("SKL-TKT-001").Orders, 2)

	// A newer one takes the place of one that waits; what ends is not carried out.
	s.order("unlock", "local:ghost", "SKL-TKT-001")
	s.order("unlock", "local:ghost", "SKL-TKT-001")
	s.carried(d, "SKL-TKT-001", "unlock failed")
	assert.Equal(t, []string{"unlock failed", "unlock replaced"}, s.became("SKL-TKT-001")[:2])
	page, err := s.owner.Orders(t.Context(), client.PastQuery{}, client.Page{Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, "the device has no such account", page.Items[0].Detail)
	s.order("unlock", "local:counter", "SKL-TKT-001")
	s.clock.forward(61 * time.Minute)
	assert.Equal(t, "unlock ended", s.became("SKL-TKT-001")[0])
	_ = d.Cycle(t.Context()) // it learns what time it is
	s.until(func() bool { return d.Cycle(t.Context()) == nil })
	assert.Equal(t, "unlock ended", s.became("SKL-TKT-001")[0])

	// Collect reports what has not changed; re-apply forgets what was repeatedly reverted.
	reports := func() int {
		n, err := query[int](t, s.config.Database, "select count(*)::int from reports")
		require.NoError(t, err)
		return n
	}
	before := reports()
	require.NoError(t, d.Cycle(t.Context()))
	assert.Equal(t, before, reports())
	s.order("collect", "", "SKL-TKT-001")
	s.carried(d, "SKL-TKT-001", "collect done")
	assert.Equal(t, before+1, reports())
	for range 4 {
		require.NoError(t, d.Join("administrators", "counter"))
		require.NoError(t, d.Cycle(t.Context()))
	}
	require.True(t, unitWhy(s, "SKL-TKT-001", "membership.administrators").RepeatedlyReverted)
	s.order("re-apply", "", "SKL-TKT-001")
	s.carried(d, "SKL-TKT-001", "re-apply done")
	u := unitWhy(s, "SKL-TKT-001", "membership.administrators")
	assert.True(t, u.InStep && !u.RepeatedlyReverted)

	// A group, and what cannot be ordered.
	s.enrolled("SKL-TKT-002")
	batch, err := s.owner.SendOrder(t.Context(), api.NewOrder{Kind: "check-in", Group: "everything"})
	require.NoError(t, err)
	assert.Equal(t, 2, batch.Given)
	for says, o := range map[string]api.NewOrder{
		"names no account": {Kind: "unlock", Subject: "user:asta.holm@skerryline.example",
			Devices: []string{"SKL-TKT-001"}},
		"no device is named": {Kind: "check-in"},
		"there is no group":  {Kind: "check-in", Group: "nobody"},
		"expected value":     {Kind: "explode", Devices: []string{"SKL-TKT-001"}},
	} {
		_, err := s.owner.SendOrder(t.Context(), o)
		var p *client.Problem
		require.ErrorAs(t, err, &p)
		assert.Contains(t, p.Error(), says)
	}
	_, err = s.as("bjorn", viewer).
		SendOrder(t.Context(), api.NewOrder{Kind: "check-in", Devices: []string{"SKL-TKT-001"}})
	problem(t, err, 403, "ask an owner")
}

// An order reaches a device that waits at once, through any replica.
func TestOrdersNudge(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- d.Run(ctx) }()
	s.order("check-in", "", "SKL-TKT-001")
	s.until(func() bool { return s.became("SKL-TKT-001")[0] == "check-in done" })
	s.order("collect", "", "SKL-TKT-001")
	s.until(func() bool { return s.became("SKL-TKT-001")[0] == "collect done" })
	stop()
	require.NoError(t, <-ended)
}

// An order is begun once, whatever happens in the middle of it.
func TestAnOrderIsBegunOnce(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly, 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	d.AddAccount("counter")
	s.order("end-sessions", "local:counter", "SKL-TKT-001")
	d.CutAfter(0)
	s.until(func() bool { return errors.Is(d.Cycle(t.Context()), simulated.ErrCut) })
	assert.Equal(t, "end-sessions delivered", s.became("SKL-TKT-001")[0])
	require.NoError(t, d.SetPassword(withPower(t, d), d.Find("counter"), "known"))
	require.NoError(t, d.SignIn("counter", "known"))
	s.wake(d, "")
	s.carried(d, "SKL-TKT-001", "end-sessions failed")
	assert.True(t, d.SignedIn(d.Find("counter")), "it was not begun again")
	page, err := s.owner.Orders(t.Context(), client.PastQuery{Device: "SKL-TKT-001"}, client.Page{})
	require.NoError(t, err)
	assert.Contains(t, page.Items[0].Detail, "the power went")
}

// withPower gives a device its power back.
func withPower(t *testing.T, d *device) context.Context {
	d.CutAfter(-1)
	return t.Context()
}
