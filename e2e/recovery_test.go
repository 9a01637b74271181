package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/drift"
	"rankwarden.example/internal/app"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/keyring"
	"rankwarden.example/internal/wire/protocol"
)

// A clock that was wrong by a day and then corrected, the service's or the device's, costs at most one
// refused exchange each time.
func TestACorrectedClockCostsOneExchange(t *testing.T) {
	s := start(t)
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	wrong := &clock{}
	s.devices = together{wrong}
	s.wake(d, "")
	require.NoError(t, d.Cycle(t.Context()))
	for _, step := range []struct {
		of *clock
		by time.Duration
	}{{s.clock, 24 * time.Hour}, {s.clock, -24 * time.Hour}, {wrong, 24 * time.Hour}, {wrong, -24 * time.Hour},
		{wrong, -48 * time.Hour}, {wrong, 48 * time.Hour}} {
		step.of.forward(step.by)
		refused := 0
		for d.Cycle(t.Context()) != nil {
			if refused++; refused > 1 {
				break
			}
		}
		assert.LessOrEqual(t, refused, 1, "%v", step.by)
	}
}

// No command but keys new makes a key, and the wrong key file refuses to start and names both.
func TestForeignKeysAreRefused(t *testing.T) {
	s := start(t)
	s.stop()
	dir := t.TempDir()
	run := func(args ...string) (string, error) {
		out, err := rankwardend(dir, append(args, "--database", s.config.Database)...).CombinedOutput()
		return string(out), err
	}
	for _, args := range [][]string{{"keys", "list"}, {"keys", "new"}, {"restored"}, {"owner", "reset", "asta"},
		{"serve", "--listen", "127.0.0.1:0"}} {
		out, err := run(args...)
		require.Error(t, err, args)
		assert.Contains(t, out, "there is no key file at rankwarden-keys.json", args)
	}
	out, err := run("keys", "new", "--service")
	require.Error(t, err)
	assert.Contains(t, out, "used with the root key")
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, files, "nothing was made")

	foreign, err := keyring.Create(filepath.Join(dir, "rankwarden-keys.json"))
	require.NoError(t, err)
	own, err := keyring.Load(s.config.Keys)
	require.NoError(t, err)
	for _, args := range [][]string{{"keys", "list"}, {"serve", "--listen", "127.0.0.1:0"}} {
		out, err := run(args...)
		require.Error(t, err)
		assert.Contains(t, out, foreign.Root.ID)
		assert.Contains(t, out, own.Root.ID)
	}
	s.run()
	number, err := query[int64](t, s.config.Database, "select key_list_number from service_state")
	require.NoError(t, err)
	assert.Equal(t, s.Passwords.KeyListNumber(), number, "and nothing was published")
}

// A password sealed to a retired key is not taken; the device reads the key list and seals to the live one.
func TestARetiredKeyTakesNoDeposit(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	s.escrowKey()
	require.NoError(t, s.Passwords.RetireEscrowKey(ctx, uow.Console("test"), 1)) // the device has not heard of it
	s.order("rotate", "account:mooring", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(ctx))
		return s.became("SKL-TKT-001")[0] == "rotate done"
	})
	sealed, err := query[string](
		t,
		s.config.Database,
		"select string_agg(key_number || ' ' || state, ', ' order by number) from deposits",
	)
	require.NoError(t, err)
	assert.Equal(t, "1 former, 2 current", sealed)
}

// Passwords from before the recovery key was live are shown until they have a recovery copy.
func TestPasswordsWithoutARecoveryCopyAreShown(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", strings.Replace(desk, "%THEN%", "nothing", 1), 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	path := filepath.Join(t.TempDir(), "recovery.json")
	number, err := s.Passwords.MakeEscrowKey(ctx, uow.Console("test"), protocol.UseRecovery, path)
	require.NoError(t, err)
	ring, err := escrow.ReadRing(path)
	require.NoError(t, err)
	require.NoError(t, s.Passwords.ProveByCopy(ctx, uow.Console("test"), number, ring))
	kinds := func() string {
		s.Changed(ctx)
		o, err := s.owner.Overview(ctx)
		require.NoError(t, err)
		kinds := ""
		for _, d := range o.Decisions {
			kinds += d.Kind + " "
		}
		return kinds
	}
	assert.Equal(t, "recovery ", kinds())
	list, err := s.owner.Passwords(ctx, client.PasswordQuery{Unrecovered: true}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
	require.NoError(t, d.Cycle(ctx))
	s.order("rotate", "account:mooring", "SKL-TKT-001")
	s.until(func() bool {
		require.NoError(t, d.Cycle(ctx))
		return s.became("SKL-TKT-001")[0] == "rotate done"
	})
	assert.Empty(t, kinds())
	list, err = s.owner.Passwords(ctx, client.PasswordQuery{Unrecovered: true}, client.Page{})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}

// A database that was restored without a word is noticed: a device that holds what it was never given
// waits, is never verified, and raises one decision for all of them.
func TestARestoredDatabaseIsNoticed(t *testing.T) {
	for name, former := range map[string]string{
		"an earlier number": "update devices set desired_number = desired_number - 1, " +
			"reported_number = reported_number - 1",
		"another document under the same number": "update devices set desired_digest = 'sha-256:other'",
	} {
		s := start(t)
		ctx := t.Context()
		s.publish("base", "lockout: {threshold: 5}", 500, "everything")
		d := s.enrolled("SKL-TKT-001")
		p, err := s.owner.Policy(ctx, "base")
		require.NoError(t, err)
		p, err = s.owner.SavePolicy(ctx, "base", document("base", "lockout: {threshold: 6}"), p.Version)
		require.NoError(t, err)
		_, err = s.owner.PublishPolicy(ctx, "base", p.Version)
		require.NoError(t, err)
		s.cycle(d, "SKL-TKT-001")
		s.stop()
		require.NoError(t, change(t, s.config.Database, former), name)
		s.run()
		require.NoError(t, d.Cycle(ctx))
		s.Changed(ctx)
		o, err := s.owner.Overview(ctx)
		require.NoError(t, err)
		assert.Equal(t, []int{1, 0, 1}, []int{o.Devices, o.Verified, o.Standings.Waiting}, name)
		require.Len(t, o.Decisions, 1, name)
		assert.Contains(t, o.Decisions[0].Title, "restored from a backup")
		assert.Equal(t, "waiting", s.why("SKL-TKT-001").Device.Standing)

		_, err = s.Passwords.BeginEpoch(ctx)
		require.NoError(t, err)
		s.cycle(d, "SKL-TKT-001")
		s.Changed(ctx)
		o, err = s.owner.Overview(ctx)
		require.NoError(t, err)
		assert.Empty(t, o.Decisions, name)
		assert.Equal(t, 1, o.Verified, name)
	}
}

// What the service refuses for good is set aside and told, and the rest goes on.
func TestWhatIsRefusedForGoodIsSetAside(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	d := s.enrolled("SKL-TKT-001")
	d.AllowSudo(drift.Sudo{Name: "visitor", Via: "/etc/sudoers", // more than a request may have
		Commands: []string{strings.Repeat("x", 1<<20)}})
	for range 3 {
		_ = d.Cycle(ctx)
	}
	require.NoError(t, d.Cycle(ctx), "it goes on")
	aside := s.events(client.EventQuery{Kind: "set_aside"})
	require.Len(t, aside, 1, "told once")
	assert.Contains(t, aside[0].Words, "the service takes 1048576")
	s.publish("more", "passwords: {min_length: 8}", 400, "everything")
	s.until(func() bool { return s.why("SKL-TKT-001").Device.Desired == 2 })
	for range 3 {
		_ = d.Cycle(ctx) // refused once more under the new desired state, and set aside
	}
	require.NoError(t, d.Cycle(ctx))
	assert.Len(t, s.events(client.EventQuery{Kind: "set_aside"}), 2)
}

// A workstation that is renamed stays the same device; it does not take a name that gives it reach, nor another's.
func TestARenamedWorkstationStaysTheSameDevice(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-009"}})
	require.NoError(t, err)
	s.as("nightwatch", "support", "desks")
	d := s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-TKT-002")
	id := s.why("SKL-TKT-001").Device.ID
	for name, want := range map[string]string{"SKL-TKT-009": "", "SKL-TKT-002": "", "SKL-TKT-003": "SKL-TKT-003"} {
		before := s.why(id).Device.Name
		d.Rename(name)
		require.NoError(t, d.Cycle(ctx))
		s.settled()
		require.NoError(t, d.Cycle(ctx))
		if want == "" {
			want = before
		}
		assert.Equal(t, want, s.why(id).Device.Name)
	}
	assert.NotEmpty(t, s.events(client.EventQuery{Kind: "device_renamed"}))
}

// Accepting a device that claims to be another keeps what the organisation knows of it.
func TestAcceptingAClaimKeepsOrganisationFacts(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	s.enrolled("SKL-TKT-001")
	path, user := "north/kirkness", "ola@skerryline.example"
	require.NoError(t, s.owner.SetFacts(
		ctx,
		[]api.Facts{{Device: "SKL-TKT-001", Path: &path, Tags: &[]string{"kiosk"}, PrimaryUser: &user}},
	))
	d := s.device("SKL-TKT-001", s.enrolmentToken(1))
	require.NoError(t, d.Cycle(ctx))
	claiming, err := s.owner.Devices(ctx, client.DeviceQuery{State: "claiming"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, claiming.Items, 1)
	require.NoError(t, s.owner.Decide(ctx, claiming.Items[0].ID, "accept"))
	now, err := s.owner.Device(ctx, claiming.Items[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"live", path, []string{"kiosk"}, user}, []any{now.State, now.Path, now.Tags, now.PrimaryUser})
}

// The first owner's password is written before the owner is made, and an owner who is locked out gets back
// in on the machine of the service.
func TestOwnersGetIn(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	dir := t.TempDir()
	run := func(args ...string) (string, error) {
		args = append(args, "--database", s.config.Database, "--keys", s.config.Keys)
		out, err := rankwardend(dir, args...).CombinedOutput()
		return string(out), err
	}
	out, err := run("owner", "reset", "asta")
	require.NoError(t, err, out)
	password, err := os.ReadFile(filepath.Join(dir, "rankwarden-owner-password"))
	require.NoError(t, err)
	assert.NotContains(t, out, strings.TrimSpace(string(password)), "never printed")
	_, err = client.New(s.URL, "").Look(hasLooked).SignIn(ctx, "asta", strings.TrimSpace(string(password)))
	require.NoError(t, err)
	out, err = run("owner", "reset", "asta")
	require.Error(t, err, "the file is there")
	assert.Contains(t, out, "nothing was changed")
	_, err = client.New(s.URL, "").Look(hasLooked).SignIn(ctx, "asta", strings.TrimSpace(string(password)))
	require.NoError(t, err, "and nothing was")

	url, err := cluster.CreateDatabase(ctx, "first_owner")
	require.NoError(t, err)
	keys := filepath.Join(dir, "fresh-keys.json")
	require.NoError(t, app.CreateKeys(ctx, app.Config{Database: url, Keys: keys, Organisation: "Skerry Line"}))
	answer, err := rankwardend(
		dir,
		"serve",
		"--listen",
		"127.0.0.1:0",
		"--database",
		url,
		"--keys",
		keys,
		"--first-password",
		filepath.Join(dir, "none", "password"),
	).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(answer), "the password cannot be written, so nothing was changed")
	n, err := query[int64](t, url, "select count(*) from operators")
	require.NoError(t, err)
	assert.Zero(t, n)
}
