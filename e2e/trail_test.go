package e2e

import (
	"encoding/csv"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
	"rankwarden.example/internal/kit/pgcluster"
	"rankwarden.example/internal/wire/audit"
	"rankwarden.example/internal/wire/keyring"
)

// auditor works with the command line, with a token of an auditor.
type auditor struct {
	s        *service
	dir, key string
}

func (s *service) auditor() *auditor {
	c := s.as("einar", "auditor")
	made, err := c.CreateToken(s.t.Context(), "audit", "", 24)
	require.NoError(s.t, err)
	return &auditor{s, s.t.TempDir(), made.Secret}
}

// try runs a command, and gives what it printed.
func (a *auditor) try(args ...string) (string, error) {
	cmd := exec.Command(filepath.Join(binaries, "rankwarden"), args...)
	cmd.Dir = a.dir
	cmd.Env = []string{"HOME=" + a.dir, "RANKWARDEN_SERVER=" + a.s.URL, "RANKWARDEN_TOKEN=" + a.key}
	out, err := cmd.CombinedOutput()
	return string(out), err
}

func (a *auditor) run(args ...string) string {
	out, err := a.try(args...)
	require.NoError(a.s.t, err, out)
	return out
}

func (s *service) root() string {
	keys, err := keyring.Load(s.config.Keys)
	require.NoError(s.t, err)
	return keys.Root.ID
}

// lived is a service on whose trail something stands, with a checkpoint in the middle, and one that left the database.
func lived(t *testing.T) (*service, *auditor) {
	s := start(t)
	s.stop()
	s.config.CheckpointFile = filepath.Join(t.TempDir(), "checkpoints.jsonl")
	s.run()
	s.publish("base", "lockout: {threshold: 5}", 500, "everything")
	_, err := s.owner.MakeCheckpoint(t.Context())
	require.NoError(t, err)
	s.publish("desks", "passwords: {min_length: 9}", 400)
	s.enrolled("SKL-TKT-001")
	_, err = s.as("bjorn", viewer).CreateGroup(t.Context(), client.GroupSpec{Name: "mine"})
	problem(t, err, http.StatusForbidden, "ask an owner")
	return s, s.auditor()
}

func TestTheTrailIsReadAndNarrowed(t *testing.T) {
	s, a := lived(t)
	trail := func(q client.TrailQuery) (said []string) {
		list, err := client.All(0, func(p client.Page) (client.List[api.TrailEntry], error) {
			p.Limit = 2
			return s.owner.Trail(t.Context(), q, p)
		})
		require.NoError(t, err)
		for _, e := range list {
			said = append(said, strings.Join([]string{e.Actor, e.Action, e.Object, e.Outcome}, " "))
		}
		return said
	}
	assert.Equal(t, []string{"asta policy.published desks done", "asta policy.saved desks done",
		"asta policy.published base done", "asta policy.saved base done"}, trail(client.TrailQuery{Action: "policy"}))
	assert.Equal(t, []string{"asta policy.published desks done", "asta policy.published base done"},
		trail(client.TrailQuery{Action: "policy.published", Actor: "asta"}))
	assert.Equal(t, []string{"bjorn group.made /api/v1/groups refused"}, trail(client.TrailQuery{Outcome: "refused"}))
	assert.Equal(
		t,
		[]string{"asta assignment.made base done"},
		trail(client.TrailQuery{On: "base", Action: "assignment"}),
	)
	id := s.why("SKL-TKT-001").Device.ID
	assert.Equal(
		t,
		[]string{"device:" + id + " device.enrolled " + id + " done"},
		trail(client.TrailQuery{Device: "skl-tkt-001"}),
	)
	assert.Empty(t, trail(client.TrailQuery{Since: time.Now().Add(time.Hour)}))
	assert.Empty(t, trail(client.TrailQuery{Action: "poli%"}), "a family is a whole word")
	_, err := s.owner.Trail(t.Context(), client.TrailQuery{Device: "SKL-XXX-001"}, client.Page{})
	problem(t, err, http.StatusNotFound, "SKL-XXX-001")

	shown := a.run("trail", "list", "--action", "assignment", "--output", "json")
	assert.Contains(t, shown, `"path": "rank"`)
	list, err := s.owner.Trail(t.Context(), client.TrailQuery{Action: "assignment.made", On: "base"}, client.Page{})
	require.NoError(t, err)
	one := a.run("trail", "show", fmt.Sprint(list.Items[0].Seq))
	assert.Contains(t, one, "asta assignment.made base (done)")
	assert.Regexp(t, `rank\s+500`, one)
	_, err = s.owner.TrailEntry(t.Context(), 1<<40)
	problem(t, err, http.StatusNotFound, "has no entry")

	rows, err := csv.NewReader(strings.NewReader(a.run("trail", "export", "--format", "csv", "--action", "policy"))).
		ReadAll()
	require.NoError(t, err)
	assert.Equal(t, audit.CSVHead, rows[0])
	assert.Len(t, rows, 5)
	_, err = a.try("trail", "export", "--format", "xml")
	assert.Error(t, err)
	assert.Subset(t, trail(client.TrailQuery{Action: "trail"}),
		[]string{"einar trail.export_begun trail done", "einar trail.exported trail done"}, "reading it is on it")
}

// An export is proved without the service. A trail that somebody rewrote who may do anything with the database is not
// what the checkpoints say that were kept elsewhere, and the first entry that is not what was written is named.
func TestWhoRewritesTheTrailIsFound(t *testing.T) {
	s, a := lived(t)
	_, err := s.owner.MakeCheckpoint(t.Context())
	require.NoError(t, err)
	// What the service signs afterwards is not among what was kept.
	signed, err := os.ReadFile(s.config.CheckpointFile)
	require.NoError(t, err)
	kept := filepath.Join(t.TempDir(), "kept.jsonl")
	require.NoError(t, os.WriteFile(kept, signed, 0o600))
	a.run("trail", "export", "--to", "whole.jsonl")
	s.publish("screens", "passwords: {min_length: 7}", 300)
	require.NoError(t, s.Trail.AnchorHourly(t.Context()))

	verify := func(file string, more ...string) (string, error) {
		cmd := exec.Command(
			filepath.Join(binaries, "rankwarden"),
			append([]string{"trail", "verify", file, "--root", s.root()}, more...)...)
		cmd.Dir, cmd.Env = a.dir, []string{"HOME=" + t.TempDir()} // on a machine that knows no service
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := verify("whole.jsonl", "--checkpoints", kept)
	require.NoError(t, err, out)
	assert.Contains(t, out, "hang together")
	assert.Contains(t, out, "they are those of the checkpoint")
	out, err = a.try("trail", "verify", "--root", s.root(), "--checkpoints", kept)
	require.NoError(t, err, out)
	out, err = verify("whole.jsonl", "--checkpoints", kept, "--root", "another")
	require.Error(t, err)
	assert.Contains(t, out, "key list")
	_, err = a.try("trail", "verify", "whole.jsonl")
	require.Error(t, err, "without a root key nothing is proved")

	whole, err := os.ReadFile(filepath.Join(a.dir, "whole.jsonl"))
	require.NoError(t, err)
	lines := strings.SplitAfter(string(whole), "\n")
	file := func(name string, lines []string) string {
		require.NoError(t, os.WriteFile(filepath.Join(a.dir, name), []byte(strings.Join(lines, "")), 0o600))
		return name
	}
	out, err = verify(file("cut.jsonl", lines[:len(lines)-2]))
	require.Error(t, err)
	assert.Contains(t, out, "has no end")
	out, err = verify(
		file("changed.jsonl", append([]string{strings.Replace(lines[0], `"actor":"`, `"actor":"x`, 1)}, lines[1:]...)),
	)
	require.Error(t, err)
	assert.Contains(t, out, "broken at entry 1: its hash")

	shorter := append(slices.Clone(lines[:3]), `{"entries":3}`+"\n")
	out, err = verify(file("shorter.jsonl", shorter), "--checkpoints", kept)
	require.Error(t, err)
	assert.Contains(t, out, "broken at entry 4: it is missing, up to entry")

	owner := pgcluster.ForOwner(s.config.Database)
	entries := readTrail(t, s)
	last, first := len(entries), 0
	for i, e := range entries {
		if e.Action == "policy.published" && e.Object == "base" {
			first = i
		}
	}
	rewrite := func(change func(list []audit.Entry) []audit.Entry, relink int) func() {
		return func() { writeTrail(t, owner, relinked(t, change(readTrail(t, s)), relink)) }
	}
	rename := func(list []audit.Entry) []audit.Entry { list[first].Actor = "somebody"; return list }
	const never = 1 << 30
	at := fmt.Sprintf("broken at entry %d: ", first+1)
	for name, attack := range map[string]struct {
		do   func()
		want string
	}{
		"an entry is changed": {rewrite(rename, never), at + "its hash"},
		"with its own hash": {func() {
			list := rename(readTrail(t, s))
			require.NoError(t, list[first].Link(int64(first), list[first].Prev))
			writeTrail(t, owner, list)
			// where a checkpoint ends there
		}, fmt.Sprintf("broken at entry %d: it does not continue|some were written anew", first+2)},
		"and everything behind it anew": {rewrite(rename, first), "some were written anew"},
		"an entry is taken out": {rewrite(
			func(l []audit.Entry) []audit.Entry { return append(l[:first:first], l[first+1:]...) }, never),
			at + "it is missing"},
		"and the rest moves up": {rewrite(
			func(l []audit.Entry) []audit.Entry { return append(l[:first:first], l[first+1:]...) }, first),
			"some were written anew"},
		"one is put in": {rewrite(func(l []audit.Entry) []audit.Entry {
			return append(l[:first:first], append([]audit.Entry{l[0]}, l[first:]...)...)
		}, first), "some were written anew"},
		"two change places": {rewrite(
			func(l []audit.Entry) []audit.Entry { l[first], l[first+1] = l[first+1], l[first]; return l }, first),
			"some were written anew"},
		"the end is cut off": {rewrite(func(l []audit.Entry) []audit.Entry { return l[:first+1] },
			never), "some were written anew"},
		"all but the beginning is cut off": {rewrite(func(l []audit.Entry) []audit.Entry { return l[:3] }, 0),
			"broken at entry 5: it is missing, up to entry"},
		"the hash becomes one of an older form": {rewrite(
			func(l []audit.Entry) []audit.Entry { l[first].Version = 0; return l }, never), at + "its hash"},
	} {
		attack.do()
		require.NoError(t, change(t, owner, "set session_replication_role = replica; delete from checkpoints"), name)
		a.run("trail", "export", "--to", "attacked.jsonl")
		out, err := verify("attacked.jsonl", "--checkpoints", kept)
		assert.Error(t, err, name)
		assert.Regexp(t, attack.want, out, name)
		writeTrail(t, owner, entries)
	}
	require.Len(t, readTrail(t, s), last)
}

// What was rewritten between two checkpoints is found by the service too, and said once; it signs no more of that
// trail.
func TestTheServiceSignsNoTrailThatWasRewritten(t *testing.T) {
	s, _ := lived(t)
	ctx := t.Context()
	require.NoError(t, s.Trail.AnchorHourly(ctx))
	signed, err := s.owner.Checkpoints(ctx, client.Page{})
	require.NoError(t, err)
	require.NoError(t, s.Trail.AnchorHourly(ctx))
	again, err := s.owner.Checkpoints(ctx, client.Page{})
	require.NoError(t, err)
	require.Equal(t, signed, again, "nothing is new")
	checked, err := s.owner.CheckTrail(ctx, 0)
	require.NoError(t, err)
	assert.Zero(t, checked.Broken)
	assert.Equal(t, checked.Head, checked.Last)

	entries := readTrail(t, s)
	entries[len(entries)-1].Reason = "none"
	writeTrail(t, pgcluster.ForOwner(s.config.Database), relinked(t, entries, 0))
	for range 2 {
		require.NoError(t, s.Trail.AnchorHourly(ctx))
	}
	_, err = s.owner.MakeCheckpoint(ctx)
	problem(t, err, http.StatusConflict, "no checkpoint is made of it")
	said, err := s.owner.Trail(ctx, client.TrailQuery{Action: "trail.found_broken"}, client.Page{})
	require.NoError(t, err)
	require.Len(t, said.Items, 1)
	checked, err = s.owner.CheckTrail(ctx, 0)
	require.NoError(t, err)
	assert.Positive(t, checked.Broken)
	o, err := s.owner.Overview(ctx)
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(o.Decisions, func(d api.Decision) bool { return d.Kind == "trail" }))
	now, err := s.owner.Checkpoints(ctx, client.Page{})
	require.NoError(t, err)
	assert.Equal(t, signed, now)
}

// The role of the running service adds to the trail, and has no way to change it.
func TestTheServiceCannotChangeTheTrail(t *testing.T) {
	s, _ := lived(t)
	conn, err := pgx.Connect(t.Context(), s.config.Database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	for _, table := range []string{"audit_entries", "checkpoints"} {
		for _, statement := range []string{
			"update %s set seq = seq", "delete from %s", "truncate %s", "drop table %s",
			"alter table %s disable trigger all", "alter table %s add column more int",
			"alter table %s owner to current_user",
			"create or replace rule r as on insert to %s do instead nothing",
		} {
			_, err := conn.Exec(t.Context(), fmt.Sprintf(statement, table))
			assert.Error(t, err, fmt.Sprintf(statement, table))
		}
	}
	for _, statement := range []string{
		"set session_replication_role = replica", "set role " + "rankwarden", "drop function refuse_change() cascade",
		"create or replace function refuse_change() returns trigger language plpgsql as 'begin return new; end'",
		"update goose_db_version set version_id = 0",
	} {
		_, err := conn.Exec(t.Context(), statement)
		assert.Error(t, err, statement)
	}
	protected, err := s.db.TrailIsProtected()
	require.NoError(t, err)
	assert.True(t, protected)
}

func TestTheTrailInTheConsole(t *testing.T) {
	s, _ := lived(t)
	b := openTab(t, 1280, 800)
	assigned, err := s.owner.Trail(t.Context(), client.TrailQuery{Action: "assignment.made"}, client.Page{})
	require.NoError(t, err)
	entry := assigned.Items[0].Seq
	require.NoError(t, chromedp.Run(b,
		browser.SignIn(s.URL, "asta", ownerPassword),
		browser.More("Trail"),
		browser.Reads("made assignment base"),
		browser.Reads("SKL-TKT-001 enrolled"),
		browser.Click(`//button[.="Check all entries"]`),
		browser.Reads("none was changed, taken out or put in"),
		browser.Click(`//button[.="Refused"]`),
		browser.Until(`document.querySelectorAll('[role="cell"] button').length === 1`),
		browser.Reads("was refused"),
		browser.Click(`//button[.="All"]`),
		browser.Type(`input[aria-label="Device"]`, "SKL-TKT-0"),
		browser.Reads("No device has the name SKL-TKT-0"),
		browser.Click(`//button[.="Clear"]`),
		browser.Click(`//button[contains(.,"made assignment base")]`),
		browser.Until(`[...document.querySelectorAll("tr")].some(r => r.innerText.match(/rank\s+500/))`),
		browser.Until(fmt.Sprintf(`location.search === "?entry=%d"`, entry)),
		browser.Click(`//button[.="Sign now"]`),
		browser.Reads("just now"),
	))
	b.forget() // that no device has half a name was asked for
	b.noErrors()
	other := openTab(t, 1280, 800)
	require.NoError(t, chromedp.Run(other, browser.SignIn(s.URL, "bjorn", ownerPassword),
		browser.Until(`document.querySelector('nav a[href="/trail"]') === null`)),
		"who may not read it has no place for it")
}

func readTrail(t *testing.T, s *service) (list []audit.Entry) {
	for e, err := range s.db.With(t.Context()).Trail() {
		require.NoError(t, err)
		list = append(list, e)
	}
	return list
}

// relinked computes places and hashes anew, behind the first so many entries.
func relinked(t *testing.T, list []audit.Entry, from int) []audit.Entry {
	for i := from; i < len(list); i++ {
		prev := []byte{}
		if i > 0 {
			prev = list[i-1].Hash
		}
		require.NoError(t, list[i].Link(int64(i), prev))
	}
	return list
}

// writeTrail does what somebody does who owns the database.
func writeTrail(t *testing.T, url string, list []audit.Entry) {
	conn, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), "set session_replication_role = replica; delete from audit_entries")
	require.NoError(t, err)
	for _, e := range list {
		_, err = conn.Exec(
			t.Context(),
			`insert into audit_entries (seq, at, actor, address, action, object, before, after, reason,
			outcome, prev, hash, version) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)`,
			e.Seq,
			e.At,
			e.Actor,
			e.Address,
			e.Action,
			e.Object,
			e.Before,
			e.After,
			e.Reason,
			e.Outcome,
			e.Prev,
			e.Hash,
			e.Version,
		)
		require.NoError(t, err)
	}
}
