package uow_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/base/uow/uowtest"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

var (
	owner = rights.Identity{
		OperatorID: "1",
		Name:       "asta",
		Address:    "192.0.2.7",
		Grants:     []rights.Grant{{Role: rights.Owner}},
	}
	viewer = rights.Identity{OperatorID: "2", Name: "runa", Grants: []rights.Grant{{Role: rights.Viewer}}}
)

// lamp is an operation that only a deployer may do.
var lamp = &operation.Operation{ID: "change-lamp", Right: rights.Deploy, Action: "thing.changed"}

func act(who rights.Identity) uow.Act {
	return uow.ByOperator(lamp, who, "lamp")
}

func TestWhatAWorkGathersIsWrittenWithIt(t *testing.T) {
	trail := &uowtest.Trail{}
	err := uowtest.Room[any, uow.Records](trail, trail, trail).
		Do(t.Context(), act(owner), func(_ uow.Records, w *uow.Work) error {
			w.Before, w.After = "out", map[string]bool{"lit": true}
			w.Tell(store.TopicEdits, "lamp")
			w.Settle("lamp changed", []string{"piers"}, []string{"D1"})
			w.Also(uow.ByService("thing.listed", "things"), audit.Done, nil, 2)
			return nil
		})
	require.NoError(t, err)
	require.Len(t, trail.Entries, 2)
	own, also := trail.Entries[0], trail.Entries[1]
	assert.Equal(t, []string{"asta", "192.0.2.7", "thing.changed", "lamp", `"out"`, `{"lit":true}`, "done"}, []string{
		own.Actor,
		own.Address,
		own.Action,
		own.Object,
		string(own.Before),
		string(own.After),
		string(own.Outcome),
	})
	assert.Equal(t, uowtest.Now, own.At)
	assert.Equal(t, []string{"service", "thing.listed", "2"}, []string{also.Actor, also.Action, string(also.After)})
	assert.Equal(t, []notices.Notice{{Topic: store.TopicEdits, IDs: []string{"lamp"}}}, trail.Notices)
	assert.Equal(
		t,
		[]store.SettleRequest{
			{Cause: "lamp changed", Groups: []string{"piers"}, Devices: []string{"D1"}, CreatedAt: uowtest.Now},
		},
		trail.Requests,
	)
}

// Of a refused act only the attempt is on the trail, and that of a device not even that: it could fill it.
func TestRefusedActs(t *testing.T) {
	forbidden := refusal.New(refusal.Forbidden, "it is not yours")
	hidden := refusal.Missing("device", "SKL-HQ-001").Hiding()
	unseen := act(owner).ShowingAttempts()
	for name, c := range map[string]struct {
		act     uow.Act
		err     error
		entries int
		ran     bool
	}{
		"without the right":         {act(viewer), nil, 1, false},
		"out of reach":              {act(owner), forbidden, 1, true},
		"a device":                  {uow.ByDevice("D1").As("device.renamed"), forbidden, 0, true},
		"what leaves no entry":      {uow.ByOperator(lamp, owner, "lamp").As(""), forbidden, 0, true},
		"what cannot be":            {act(owner), refusal.New(refusal.Invalid, "no"), 0, true},
		"of what one may not see":   {act(owner), hidden, 0, true},
		"of that where it matters":  {unseen, hidden, 1, true},
		"a failure of the database": {act(owner), errors.New("gone"), 0, true},
	} {
		t.Run(name, func(t *testing.T) {
			trail, ran := &uowtest.Trail{}, false
			err := uowtest.Room[any, uow.Records](trail, trail,
				trail,
			).Do(t.Context(), c.act, func(_ uow.Records, w *uow.Work) error {
				ran = true
				w.SetObject("the lamp")
				w.Tell(store.TopicEdits)
				w.Settle("lamp changed", nil, nil)
				return c.err
			})
			require.Error(t, err)
			if c.err != nil {
				assert.Equal(t, c.err, err)
			}
			assert.Equal(t, c.ran, ran)
			assert.Empty(t, trail.Notices)
			assert.Empty(t, trail.Requests)
			require.Len(t, trail.Entries, c.entries)
			for _, e := range trail.Entries {
				assert.Equal(t, audit.Refused, e.Outcome)
				assert.Equal(t, map[bool]string{true: "the lamp", false: "lamp"}[ran], e.Object)
			}
		})
	}
}

func TestAnActIsMadeByAFunction(t *testing.T) {
	trail := &uowtest.Trail{}
	err := uowtest.Room[any, uow.Records](trail, trail, trail).
		Do(t.Context(), uow.Act{}, func(uow.Records, *uow.Work) error {
			t.Error("it ran")
			return nil
		})
	assert.ErrorContains(t, err, "must be made with")
}

func TestAStatementLeavesNothingOnTheTrail(t *testing.T) {
	trail := &uowtest.Trail{}
	room, ran := uowtest.Room[any, uow.Records](trail, trail, trail), 0
	do := func(uow.Records) error { ran++; return nil }
	require.NoError(t, room.DoStatement(t.Context(), uow.Upkeep(), do))
	require.NoError(t, room.DoStatement(t.Context(), uow.ByDevice("D1"), do))
	for _, a := range []uow.Act{{}, act(owner), act(owner).As(""), uow.ByService("thing.changed", "lamp")} {
		assert.ErrorContains(t, room.DoStatement(t.Context(), a, do), "in a transaction")
	}
	assert.Equal(t, 2, ran)
	assert.Empty(t, trail.Entries)
}

func TestAQuietWorkLeavesNoEntry(t *testing.T) {
	trail := &uowtest.Trail{}
	require.NoError(t, uowtest.Room[any, uow.Records](trail, trail, trail).
		Do(t.Context(), act(owner), func(_ uow.Records, w *uow.Work) error {
			w.Quiet()
			w.Tell(store.TopicEdits)
			return nil
		}))
	assert.Empty(t, trail.Entries)
	assert.True(t, trail.Told(store.TopicEdits))
}
