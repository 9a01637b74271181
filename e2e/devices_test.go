package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/wire/protocol"
)

// mooringOnly leaves one local administrator, whose password is in escrow.
const mooringOnly = mooring + "membership: [{local_group: administrators, mode: exact, members: [account:mooring]}]"

const mooring = "accounts: [{key: mooring, name: mooring}]\nrotation: [{target: account:mooring}]\n"

func standing(s *service, name string) string { return s.why(name).Device.Standing }

func TestFromTheAuthorsFileToAVerifiedDevice(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly+"\npasswords: {min_length: 12}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	assert.Equal(t, "in_step", standing(s, "SKL-TKT-001"))

	w := s.why("skl-tkt-001")
	require.Len(t, w.Units, 4)
	assert.Equal(t, "exactly: managed mooring, built-in administrator", w.Units[0].Desired)
	assert.Equal(t, "12 characters", w.Units[3].Reported)
	assert.NotNil(t, w.Device.VerifiedAt)

	// A stronger assignment changes one unit; the device is waiting until it has reported that.
	s.publish("desks", "passwords: {min_length: 16}", 100, "everything")
	s.settled()
	assert.Equal(t, "waiting", standing(s, "SKL-TKT-001"))
	w = s.why("SKL-TKT-001")
	assert.EqualValues(t, 2, w.Device.Desired)
	assert.Empty(t, w.Units[3].Findings, "it was not asked for that when it reported")
	assert.False(t, w.Units[3].InStep)
	s.cycle(d, "SKL-TKT-001")
	w = s.why("SKL-TKT-001")
	assert.Equal(t, "desks outranks base", w.Units[3].DecidedBy)
	assert.Equal(t, "16 characters", w.Units[3].Reported)

	// A weaker one that changes no value gives no new number.
	s.publish("echo", "passwords: {min_length: 9}", 900, "everything")
	s.settled()
	assert.EqualValues(t, 2, s.why("SKL-TKT-001").Device.Desired)
	assert.Equal(t, "in_step", standing(s, "SKL-TKT-001"))
}

func TestDriftIsCorrectedOrStaysOpen(t *testing.T) {
	s := start(t)
	s.publish("base", mooringOnly+"\nlockout: {threshold: 5}", 500, "everything")
	d := s.enrolled("SKL-WKS-001")

	d.AddAccount("mechanic")
	require.NoError(t, d.Join("administrators", "mechanic"))
	require.NoError(t, d.Cycle(t.Context()))
	right, err := s.owner.Findings(t.Context(), client.FindingQuery{State: "corrected"}, client.Page{})
	require.NoError(t, err)
	words := []string{}
	for _, f := range right.Items {
		words = append(words, f.Words)
	}
	assert.Contains(t, words, "mechanic is a member, but not in the exact list")
	assert.Equal(t, []string{"base"}, right.Items[0].Assignments)
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"))

	// The last local administrator is locked: the guard lets nobody else go.
	for range 5 {
		require.Error(t, d.SignIn("mooring", "wrong"))
	}
	require.NoError(t, d.Join("administrators", "mechanic"))
	require.NoError(t, d.Cycle(t.Context()))
	open, err := s.owner.Findings(t.Context(), client.FindingQuery{}, client.Page{})
	require.NoError(t, err)
	var kinds []string
	for _, f := range open.Items {
		kinds = append(kinds, f.Kind+" "+f.Words)
	}
	assert.ElementsMatch(t, []string{
		"apply_failed the device could not change mechanic: would leave no usable administrator",
		"member_extra mechanic is a member, but not in the exact list",
	}, kinds)
	assert.Equal(t, "drifted", standing(s, "SKL-WKS-001"))

	require.NoError(t, d.Unlock(t.Context(), d.Find("mooring")))
	require.NoError(t, d.Cycle(t.Context()))
	settled, err := s.owner.Findings(t.Context(), client.FindingQuery{State: "closed"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, settled.Items, 2)
	assert.Equal(t, "in_step", standing(s, "SKL-WKS-001"))

	s.clock.forward(4 * time.Minute)
	assert.Equal(t, "silent", standing(s, "SKL-WKS-001"))
}

func TestContestedUnitIsHeldUntilSomebodyDecides(t *testing.T) {
	s := start(t)
	s.publish("one", mooringOnly, 200, "everything")
	d := s.enrolled("SKL-HQ-001")
	s.publish(
		"two",
		"membership: [{local_group: administrators, mode: exact, members: [account:mooring, 'sid:S-1-5-21-1-2-3-9']}]",
		200,
		"everything",
	)
	s.settled()
	w := s.why("SKL-HQ-001")
	assert.Equal(t, "held", w.Device.Standing)
	assert.Equal(
		t,
		"exactly: managed mooring, built-in administrator, kept from desired state 1",
		w.Units[0].Desired,
		"it keeps what it was told",
	)
	assert.Equal(t, "one and two differ at equal rank", w.Units[0].DecidedBy)
	o, err := s.owner.Overview(t.Context())
	require.NoError(t, err)
	require.Len(t, o.Decisions, 1)
	assert.Equal(t, "contested", o.Decisions[0].Kind)

	two, err := s.owner.Assignment(t.Context(), "two")
	require.NoError(t, err)
	_, err = s.owner.EditAssignment(
		t.Context(),
		"two",
		api.Aim{Policy: "two", Include: []string{"everything"}, Rank: 201},
		two.Version,
	)
	require.NoError(t, err)
	s.cycle(d, "SKL-HQ-001")
	assert.Equal(t, "in_step", standing(s, "SKL-HQ-001"))
}

func TestGroupsAimAndOnlyTouchedDevicesAreSettled(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	group, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	s.publish("desk", "passwords: {min_length: 10}", 100, "desks")
	in, out := s.enrolled("SKL-TKT-001"), s.enrolled("SKL-TKT-002")
	assert.Equal(t, "10 characters", s.why("SKL-TKT-001").Units[0].Desired)
	assert.Equal(t, "8 characters", s.why("SKL-TKT-002").Units[0].Desired)

	_, err = s.owner.EditGroup(
		ctx,
		"desks",
		client.GroupEdit{Add: []string{"skl-tkt-002"}, Remove: []string{"SKL-TKT-001"}},
		group.Version,
	)
	require.NoError(t, err)
	s.cycle(in, "SKL-TKT-001")
	s.cycle(out, "SKL-TKT-002")
	assert.Equal(t, "8 characters", s.why("SKL-TKT-001").Units[0].Reported)
	assert.Equal(t, "10 characters", s.why("SKL-TKT-002").Units[0].Reported)
	assert.EqualValues(t, 2, s.why("SKL-TKT-002").Device.Desired)

	version, err := s.owner.Group(ctx, "desks")
	require.NoError(t, err)
	problem(t, s.owner.DeleteGroup(ctx, "desks", version.Version), 409, "named by the assignments desk")
	in3, err := s.owner.Devices(ctx, client.DeviceQuery{Group: "desks", Standing: "in_step"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, in3.Items, 1)
	assert.Equal(t, "SKL-TKT-002", in3.Items[0].Name)
}

func TestEnrolment(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	refused := func(err error, code string) {
		t.Helper()
		var r *protocol.Refusal
		require.ErrorAs(t, err, &r)
		assert.Equal(t, code, r.Code, r.Detail)
	}
	token := s.enrolmentToken(1)
	parts, err := protocol.ParseToken(token)
	require.NoError(t, err)

	otherRoot := parts
	otherRoot.RootFingerprint = "another"
	require.ErrorIs(
		t,
		s.device("SKL-A", otherRoot.String()).Cycle(ctx),
		protocol.ErrRoot,
		"nothing is sent to a service with another root",
	)
	wrong := parts
	wrong.Secret = "guess"
	refused(s.device("SKL-A", wrong.String()).Cycle(ctx), "token_unknown")

	first := s.device("SKL-A", token)
	require.NoError(t, first.Cycle(ctx))
	refused(s.device("SKL-B", token).Cycle(ctx), "token_used_up")
	expired := s.enrolmentToken(1)
	s.clock.forward(61 * time.Minute)
	late := s.device("SKL-B", expired)
	refused(late.Cycle(ctx), "token_expired")
	list, err := s.owner.EnrolmentTokens(ctx, client.Page{})
	require.NoError(t, err)
	require.NoError(t, s.owner.RevokeEnrolmentToken(ctx, list.Items[0].ID))
	refused(late.Cycle(ctx), "token_revoked")

	// The same name with another key only claims to be that device.
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	again := s.device("SKL-A", s.enrolmentToken(1))
	require.NoError(t, again.Cycle(ctx))
	claiming, err := s.owner.Devices(ctx, client.DeviceQuery{State: "claiming"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, claiming.Items, 1)
	s.settled()
	assert.Zero(t, claiming.Items[0].Desired, "it is told nothing")
	require.NoError(t, s.owner.Decide(ctx, claiming.Items[0].ID, "accept"))
	s.until(func() bool {
		err := first.Cycle(ctx)
		return err != nil && strings.Contains(err.Error(), "retired")
	})
	s.cycle(again, "SKL-A")
	assert.Equal(t, "8 characters", s.why("SKL-A").Units[0].Reported)
}

// posted sends a document to the device protocol and gives status, code and detail of the refusal.
func (s *service) posted(path, document string) (int, string, string) {
	resp, err := http.Post(s.URL+path, protocol.ContentType, strings.NewReader(document))
	require.NoError(s.t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(s.t, err)
	var p struct{ Code, Detail string }
	_ = json.Unmarshal(body, &p) // an answer that is no refusal is a signed document
	return resp.StatusCode, p.Code, p.Detail
}

func TestReportsCannotBeForgedOrReplayed(t *testing.T) {
	s := start(t)
	key, err := protocol.NewKey()
	require.NoError(t, err)
	parts, err := protocol.ParseToken(s.enrolmentToken(1))
	require.NoError(t, err)
	sign := func(k protocol.Key, path string, seq int64, at time.Time, body any) string {
		document, err := protocol.Sign(
			k,
			protocol.Header{KeyID: k.ID, URL: path, Time: at, Sequence: seq},
			body,
			path == protocol.PathEnrol,
		)
		require.NoError(t, err)
		return document
	}
	now := s.clock.now()
	enrol := protocol.EnrolRequest{
		TokenID: parts.ID,
		Secret:  parts.Secret,
		Facts:   protocol.Facts{Name: "SKL-X", Platform: "windows"},
	}
	status, _, detail := s.posted(protocol.PathEnrol, sign(key, protocol.PathEnrol, 0, now, enrol))
	require.Equal(t, 200, status, detail)
	me := protocol.Key{ID: s.why("SKL-X").Device.ID, Private: key.Private}
	forger, err := protocol.NewKey()
	require.NoError(t, err)

	report := func(seq int64, minimum int) protocol.CheckIn {
		return protocol.CheckIn{
			Epoch: 1,
			Report: &drift.Report{Format: drift.ReportFormat, Device: "SKL-X", Seq: seq, At: now, State: drift.State{
				Platform: "windows", Passwords: &drift.Passwords{MinLength: &minimum}, Lockout: &unit.LockoutRule{}}},
		}
	}
	good := sign(me, protocol.PathCheckIn, 5, now, report(5, 8))
	for range 2 {
		status, _, detail = s.posted(protocol.PathCheckIn, good)
		assert.Equal(t, 200, status, "a repeat of the same request is harmless: %s", detail)
	}
	nonsense := report(7, 8)
	nonsense.Report.Format = "rankwarden.report/9"
	for name, c := range map[string]struct {
		document string
		status   int
		code     string
	}{
		"unsigned": {`{"report": {}}`, 400, "not_signed"},
		"another's signature": {sign(protocol.Key{ID: me.ID, Private: forger.Private}, protocol.PathCheckIn, 6, now,
			report(6, 8)), 401, "bad_signature"},
		"unknown device":      {sign(forger, protocol.PathCheckIn, 6, now, report(6, 8)), 401, "device_unknown"},
		"for another address": {sign(me, protocol.PathWait, 6, now, report(6, 8)), 401, "wrong_url"},
		"old": {sign(me, protocol.PathCheckIn, 6, now.Add(-time.Hour), report(6, 8)), 401,
			"wrong_time"},
		"used sequence":   {sign(me, protocol.PathCheckIn, 5, now, report(5, 99)), 409, "sequence_used"},
		"sequence behind": {sign(me, protocol.PathCheckIn, 4, now, report(4, 8)), 409, "sequence_behind"},
		"two sequences":   {sign(me, protocol.PathCheckIn, 8, now, report(7, 8)), 422, "sequence_differs"},
		"unknown format":  {sign(me, protocol.PathCheckIn, 7, now, nonsense), 422, "bad_report"},
		"not what was promised": {sign(me, protocol.PathCheckIn, 7, now, []byte(`{"report": 12}`)), 422,
			"bad_document"},
		"far too large": {strings.Repeat("x", protocol.MaxRequest+1), 413, "too_large"},
	} {
		status, code, detail := s.posted(protocol.PathCheckIn, c.document)
		assert.Equal(t, fmt.Sprint(c.status, " ", c.code), fmt.Sprint(status, " ", code), "%s: %s", name, detail)
		assert.NotEmpty(t, detail)
	}
	known, err := s.db.KnownDevices(t.Context(), []string{me.ID})
	require.NoError(t, err)
	assert.EqualValues(t, 5, known[0].Seq, "nothing else was stored")
}

// Online devices hold a request open, and are told at once.
func TestNudge(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	ended := make(chan error, 1)
	go func() { ended <- d.Run(ctx) }()
	// The check-in interval is a minute: only the nudge can bring it sooner.
	s.publish("desk", "passwords: {min_length: 10}", 100, "everything")
	s.until(func() bool { return s.why("SKL-TKT-001").Device.Reported == 2 })

	s.restart()
	p, err := s.owner.Policy(t.Context(), "desk")
	require.NoError(t, err)
	p, err = s.owner.SavePolicy(t.Context(), "desk", document("desk", "passwords: {min_length: 11}"), p.Version)
	require.NoError(t, err)
	_, err = s.owner.PublishPolicy(t.Context(), "desk", p.Version)
	require.NoError(t, err)
	s.settled()
	stop()
	require.NoError(t, <-ended)
	s.wake(d, "")
	s.cycle(d, "SKL-TKT-001")
	assert.Equal(t, "11 characters", s.why("SKL-TKT-001").Units[0].Reported, "after a restart of both sides it goes on")
}

// A check-in with nothing new leaves only a time of last contact, which is written with others.
func TestIdleCheckInsCostTheDatabaseNothing(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	count := func() int64 {
		n, err := query[int64](t, s.config.Database, "select count(*) from reports")
		require.NoError(t, err)
		return n
	}
	before := count()
	heard := *s.why("SKL-TKT-001").Device.LastContact
	for range 5 {
		require.NoError(t, d.Cycle(t.Context()))
	}
	assert.Equal(t, before, count())
	s.until(func() bool { return s.why("SKL-TKT-001").Device.LastContact.After(heard) })
}

// A device whose clock is wrong learns the service's time, and goes by it.
func TestWrongClock(t *testing.T) {
	s := start(t)
	s.publish("base", "passwords: {min_length: 8}", 500, "everything")
	for _, ahead := range []time.Duration{-3 * time.Hour, 6 * time.Hour} {
		name := fmt.Sprint("SKL-CLK-", ahead.Hours())
		s.clock.forward(ahead)
		d := s.enrolled(name)
		s.clock.forward(2 * time.Hour)
		s.wake(d, "")
		require.ErrorContains(t, d.Cycle(t.Context()), "set the clock")
		require.NoError(t, d.Cycle(t.Context()), "the next attempt goes by the service's time")
		s.until(func() bool { return standing(s, name) == "in_step" })
	}
}
