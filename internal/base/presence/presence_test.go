package presence_test

import (
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/base/presence"
	"rankwarden.example/internal/store"
)

// database answers with what it is told to.
type database struct {
	pulse       store.Pulse
	err         error
	reconnected int
}

func (d *database) Pulse(context.Context, string, time.Duration) (store.Pulse, error) {
	return d.pulse, d.err
}
func (d *database) Reconnect() { d.reconnected++ }

const gigabyte = 1 << 30

// at is a database on a timeline, of which the records say the same.
func at(system string, timeline, written int64) store.Pulse {
	d := store.Database{System: system, Timeline: timeline, Written: written}
	return store.Pulse{Database: d, Noted: d, Schema: 30, Epoch: 1, Devices: 10_000}
}

func noted(p store.Pulse, system string, timeline int64) store.Pulse {
	p.Noted = store.Database{System: system, Timeline: timeline}
	return p
}

func inEpoch(p store.Pulse, epoch int64) store.Pulse {
	p.Epoch = epoch
	return p
}

func returned(p store.Pulse) store.Pulse {
	p.Returned = true
	return p
}

func mismatched(p store.Pulse, devices int64) store.Pulse {
	p.Mismatched = devices
	return p
}

func TestADatabaseThatIsAnotherOne(t *testing.T) {
	before := at("7", 1, gigabyte)
	for name, c := range map[string]struct {
		then    store.Pulse
		returns string // why an epoch begins, empty for not
		forgets bool   // nothing that is remembered holds
	}{
		"nothing happened":                {at("7", 1, gigabyte+5), "", false},
		"a standby was promoted":          {noted(at("7", 2, gigabyte-9), "7", 1), "timeline 2", true},
		"without a loss":                  {noted(at("7", 2, gigabyte+9), "7", 1), "timeline 2", true},
		"it was restored elsewhere":       {noted(at("8", 1, 9), "7", 1), "another PostgreSQL", true},
		"another replica was faster":      {inEpoch(at("7", 2, gigabyte-9), 2), "", true},
		"a copy of its disk was put back": {at("7", 1, gigabyte-9), "less than this replica saw", true},
		"a copy from before an epoch": {inEpoch(at("7", 1, gigabyte-9), 0), "less than this replica saw",
			true},
		"a device lies":                         {mismatched(at("7", 1, gigabyte+5), 1), "", false},
		"few of many devices":                   {mismatched(at("7", 1, gigabyte+5), 9), "", false},
		"as many as nobody makes up":            {mismatched(at("7", 1, gigabyte+5), 10), "10 devices hold", true},
		"just after an epoch began":             {returned(mismatched(at("7", 1, gigabyte+5), 10)), "", false},
		"an operator said that it was restored": {inEpoch(at("7", 1, gigabyte+5), 2), "", true},
	} {
		t.Run(name, func(t *testing.T) {
			d := &database{pulse: before}
			var whys []string
			latest, forgot := int64(0), 0
			k := presence.New(d, "1.0.0", 30, slog.New(slog.DiscardHandler), time.Now,
				func(_ context.Context, why string, _, seen int64) error {
					whys, latest = append(whys, why), seen
					return nil
				}, func() { forgot++ })
			require.NoError(t, k.Look(t.Context()))
			assert.Empty(t, whys)
			d.pulse = c.then
			require.NoError(t, k.Look(t.Context()))
			if c.returns == "" {
				assert.Empty(t, whys)
			} else {
				require.Len(t, whys, 1)
				assert.Contains(t, whys[0], c.returns)
				assert.EqualValues(t, 1, latest, "no epoch that anybody saw is used again")
			}
			assert.Equal(t, c.forgets, forgot == 1)
			assert.Equal(t, c.forgets, d.reconnected == 1)
		})
	}
}

// A database that is used for the first time is noted, and nothing begins.
func TestTheFirstTime(t *testing.T) {
	d := &database{pulse: noted(at("7", 1, 9), "", 0)}
	calls := []string{}
	k := presence.New(d, "1.0.0", 30, slog.New(slog.DiscardHandler), time.Now,
		func(_ context.Context, why string, _, _ int64) error { calls = append(calls, why); return nil },
		func() { t.Error("nothing was remembered") })
	require.NoError(t, k.Look(t.Context()))
	assert.Equal(t, []string{""}, calls)
}

func TestReadyMeansThatItTakesAWrite(t *testing.T) {
	now := time.Date(2031, 3, 4, 9, 0, 0, 0, time.UTC)
	d := &database{pulse: at("7", 1, 9)}
	k := presence.New(d, "1.0.0", 30, slog.New(slog.DiscardHandler), func() time.Time { return now },
		func(context.Context, string, int64, int64) error { return nil }, func() {})
	is := func(says string) {
		t.Helper()
		ready, why := k.Ready()
		assert.Equal(t, says == "", ready, why)
		assert.Contains(t, why, says)
	}
	is("not been asked")
	for _, c := range []struct {
		err  error
		says string
	}{
		{nil, ""},
		{&pgconn.PgError{Code: "25006"}, "read only"},
		{&pgconn.PgError{Code: "53100"}, "no room"},
		{context.DeadlineExceeded, "does not finish a write"},
		{&pgconn.PgError{Code: "57P01"}, "does not answer"},
		{errors.New("odd"), "odd"},
		{nil, ""},
	} {
		d.err = c.err
		_ = k.Look(t.Context())
		is(c.says)
	}
	now = now.Add(6 * time.Second)
	is("6s ago") // this replica was frozen, and knows nothing
	require.NoError(t, k.Look(t.Context()))
	is("")
	d.pulse.Schema, d.pulse.ServesFrom = 40, 31
	require.NoError(t, k.Look(t.Context()))
	is("programs from schema 31 on")
}
