package e2e

import (
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/demo/workstation"
	"rankwarden.example/internal/agent/host/linux/hands"
)

// rootFS is the root file system that real workstations share; it is made once and kept.
var rootFS = sync.OnceValues(func() (string, error) {
	return workstation.Plain.Root(context.Background(), "../.cache")
})

// real is a workstation with Linux, with somebody's hands at its keyboard.
type real struct {
	*workstation.Workstation
	hands.Hands
	t   *testing.T
	dir string // of this machine, for what the agent says
}

func (r *real) log() string { return filepath.Join(r.dir, "agent.log") }

// said is what the agent said so far.
func (r *real) said() string {
	data, _ := os.ReadFile(r.log()) // nothing yet
	return string(data)
}

// Command is [workstation.Workstation.Command].
func (r *real) Command(ctx context.Context, name string, args ...string) *exec.Cmd {
	return r.Workstation.Command(ctx, name, args...)
}

// realWorkstation starts one with the agent on its disk. Where that is not permitted the test is skipped, but for the
// run that decides whether something lands.
func realWorkstation(t *testing.T, name string) *real {
	r := workstationOver(t, rootFS, func(root string) (*workstation.Workstation, error) {
		return workstation.Start(context.Background(), root, "", name)
	})
	require.NoError(t, r.InstallAgent(binaries))
	return r
}

// workstationOver starts one over a root file system, and stops it when the test ends.
func workstationOver(
	t *testing.T, fs func() (string, error), start func(root string) (*workstation.Workstation, error),
) *real {
	if err := workstation.Missing(); err != nil {
		if os.Getenv("CI_RUN") != "" {
			require.NoError(t, err)
		}
		t.Skip(err)
	}
	root, err := fs()
	require.NoError(t, err)
	w, err := start(root)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, w.Stop()) })
	return &real{w, hands.Hands{Command: w.Command, Tallies: talliesOf(w)}, t, t.TempDir()}
}

// talliesOf is where a workstation counts wrong passwords, as it is seen from here.
func talliesOf(w *workstation.Workstation) (dirs []string) {
	for _, dir := range hands.TallyDirs {
		dirs = append(dirs, w.Path(dir))
	}
	return dirs
}

// sh runs a script in the workstation, as somebody with rights at its keyboard.
func (r *real) sh(script string) string {
	out, err := r.Run(r.t.Context(), script)
	require.NoError(r.t, err)
	return strings.TrimSpace(out)
}

// agentLine is how the agent is started; it enrols by itself.
const agentLine = "exec rankwarden-agent --state /var/lib/rankwarden-agent --token-file /etc/rankwarden/token " +
	"--service "

// enrols gives the workstation a token, and starts its agent, which goes on until the test ends or stop is called.
func (s *service) enrols(r *real) (stop func()) {
	r.sh("mkdir -p /etc/rankwarden && umask 077 && echo " + s.enrolmentToken(1) + " > /etc/rankwarden/token")
	return s.begins(r)
}

// begins starts the agent of a workstation.
func (s *service) begins(r *real) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	cmd := r.Command(ctx, "/bin/sh", "-c", agentLine+s.URL)
	log, err := os.OpenFile(r.log(), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	require.NoError(s.t, err)
	cmd.Stderr = log
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) } // what enters and what entered
	require.NoError(s.t, cmd.Start())
	stop = sync.OnceFunc(func() {
		cancel()
		_ = cmd.Wait()
		// What was entered ends a moment later; when the power went before, it has.
		_, _ = r.Run(
			context.Background(),
			"pkill -9 rankwarden-agen; while pgrep rankwarden-agen >/dev/null; do sleep 0.02; done",
		)
		log.Close()
		if s.t.Failed() {
			s.t.Logf("the agent of %s said:\n%s", r.Name, r.said())
		}
	})
	s.t.Cleanup(stop)
	return stop
}

// comesTo waits until a device stands as it should.
func (s *service) comesTo(name, want string) {
	s.t.Helper()
	s.t.Cleanup(func() {
		if s.t.Failed() {
			w, err := s.owner.Why(context.Background(), name)
			for _, u := range w.Units {
				if !u.InStep {
					s.t.Logf("%s: %s is %s, and not %s: %v", name, u.Unit, u.Reported, u.Desired, u.Findings)
				}
			}
			s.t.Logf("%s stands %s (%v)", name, w.Device.Standing, err)
		}
	})
	s.until(func() bool {
		w := s.nowOf(name).Device
		return w.Standing == want && w.Desired == w.Reported
	})
}

// nowOf is a device when everything is settled; nothing is known of one that has not enrolled yet.
func (s *service) nowOf(name string) api.DeviceWhy {
	s.settled()
	w, err := s.owner.Why(s.t.Context(), name)
	if err != nil {
		problem(s.t, err, http.StatusNotFound, "there is no device")
	}
	return w
}

// startQuick starts a service whose devices check in every second.
func startQuick(t *testing.T) *service {
	s := start(t)
	s.stop()
	s.config.Interval = time.Second
	s.config.HelpText = "Locked out? Call the harbour desk, 100% of the day."
	s.run()
	s.owner = client.New(s.URL, "").Look(hasLooked)
	_, err := s.owner.SignIn(t.Context(), "asta", ownerPassword)
	require.NoError(t, err)
	return s
}

// What every host must do, on a real Linux.
func TestLinuxIsAHost(t *testing.T) {
	beside(t)
	r := realWorkstation(t, "SKL-INF-901")
	before := r.sh("cat /etc/passwd /etc/group /etc/gshadow; cut -d: -f1,2,4- /etc/shadow")
	out, err := r.Command(t.Context(), "rankwarden-agent", "host-check", "--throw-away", "--state",
		"/var/lib/rankwarden-agent").
		CombinedOutput()
	require.NoError(t, err, string(out))
	assert.NotContains(t, string(out), "FAILS")
	assert.Contains(t, string(out), "holds  it finds a password on the group")
	assert.Contains(t, string(out), "holds  it never loosens the ages of an account that is stricter")
	assert.Contains(t, string(out), "builtins.guest.enabled")
	assert.Equal(
		t,
		before,
		r.sh("cat /etc/passwd /etc/group /etc/gshadow; cut -d: -f1,2,4- /etc/shadow"),
		"nothing is left behind",
	)
	_, err = r.Run(t.Context(), "rankwarden-agent host-check --state /tmp/other")
	require.ErrorContains(t, err, "--throw-away")
}

// screens is a policy with something in each of its sections.
const screens = `accounts:
  - {key: mooring, name: mooring-####, formerly: [wall], full_name: Lamp mooring, description: "Looks after screens, day and night", password_expires: false}
  - {key: leaver, name: mallory, state: absent}
rotation: [{target: account:mooring, every: 10d, secret: {style: characters, length: 20}, after_use: {wait: 1h, then: end-sessions}, after_reveal: 2h, redraw_name: true}, {target: "builtin:administrator"}]
builtins: {administrator: {enabled: false}}
membership:
  - {local_group: administrators, mode: exact, members: [account:mooring]}
  - {local_group: games, custom: true, mode: adjust, members: [account:mooring]}
passwords: {min_length: 14, history: 3, complexity: true, max_age_days: 60, min_age_days: 1}
lockout: {threshold: 3, duration: 10m}
`

// The whole story of a real workstation, from its enrolment on.
func TestAPolicyIsTrueOnARealWorkstation(t *testing.T) {
	s := startQuick(t)
	ctx := t.Context()
	const name = "SKL-INF-902"
	r := realWorkstation(t, name)
	r.sh(`useradd -m -s /bin/bash wall && echo wall:was-set-by-hand-1 | chpasswd
		useradd -m -s /bin/bash mallory && gpasswd -a mallory sudo && useradd -m -s /bin/bash erlend`)
	s.publish("screens", screens, 500, "everything")
	s.enrols(r)
	s.comesTo(name, "in_step")

	// It enrolled as what it is, adopted who was there, and has its password in escrow.
	w := s.why(name)
	assert.Equal(t, "linux", w.Device.Platform)
	assert.Contains(t, w.Device.OSVersion, "debian 12")
	mooring := s.managed(nil, name)
	assert.Regexp(t, `^mooring-\d{4}$`, mooring.Name)
	assert.Equal(t, "S-1-22-1-1000", mooring.SID, "the account is the one that was there")
	require.NoError(t, r.SignIn(ctx, mooring.Name, s.current(name)))
	assert.ErrorIs(t, r.SignIn(ctx, mooring.Name, "was-set-by-hand-1"), hands.ErrRefused)
	assert.Equal(t, mooring.Name, members(r, "sudo"))
	assert.Equal(t, mooring.Name, members(r, "games"))
	assert.Contains(t, r.sh("getent passwd "+mooring.Name), "Lamp mooring,,,,Looks after screens, day and night")
	_, err := r.Run(ctx, "id mallory")
	assert.Error(t, err, "whoever left is gone")
	assert.Contains(t, r.sh("chage -l "+mooring.Name), "Password expires\t\t\t\t\t: never")
	assert.Contains(t, r.sh("chage -l erlend"), "Maximum number of days between password change\t\t: 60")

	// Its rules are those of the system now: its own programs refuse what the policy does not allow.
	r.sh("echo erlend:Harbour-lamp-4187 | chpasswd && chage -d $(date -d '5 days ago' +%F) erlend")
	assert.ErrorContains(t, r.Change(ctx, "erlend", "Harbour-lamp-4187", "Xq7-pier-4"), "shorter than 14")
	assert.ErrorContains(t, r.Change(ctx, "erlend", "Harbour-lamp-4187", "zlampsqofthewpierx"), "BAD PASSWORD")
	require.NoError(t, r.Change(ctx, "erlend", "Harbour-lamp-4187", "Tide-table-73065"))
	assert.ErrorContains(t, r.Change(ctx, "erlend", "Tide-table-73065", "Kelp-forest-9120"), "must wait")
	r.sh("chage -d $(date -d '5 days ago' +%F) erlend")
	assert.ErrorContains(t, r.Change(ctx, "erlend", "Tide-table-73065", "Harbour-lamp-4187"), "already used")

	assert.Regexp(t, `^root:!\$y\$`, r.sh("getent shadow root"), "root has a password in escrow, and is locked")

	s.locksAndUnlocks(r, name, mooring)
	s.putsRight(r, name)
	s.changesAfterUse(r, name)
}

func members(r *real, group string) string {
	list := strings.Split(r.sh("getent group "+group+" | cut -d: -f4"), ",")
	slices.Sort(list)
	return strings.Join(list, ",")
}

// locksAndUnlocks gives wrong passwords until the account is locked, and unlocks it from far.
func (s *service) locksAndUnlocks(r *real, name string, mooring api.Account) {
	t, ctx := s.t, s.t.Context()
	for range 3 {
		require.ErrorIs(t, r.SignIn(ctx, mooring.Name, "wrong"), hands.ErrRefused)
	}
	require.ErrorIs(t, r.SignIn(ctx, mooring.Name, s.current(name)), hands.ErrRefused, "it is locked")
	said := r.sh("runuser -u nobody -- sh -c 'echo wrong | su " + mooring.Name + " -c true' 2>&1 || true")
	assert.Contains(t, said, s.config.HelpText, "it says what to do")
	locked := func() bool { a := s.managed(nil, name); return a.Locked }
	s.until(locked)
	s.order("unlock", "account:mooring", name)
	s.until(func() bool { return s.became(name)[0] == "unlock done" })
	s.until(func() bool { return !locked() })
	require.NoError(t, r.SignIn(ctx, mooring.Name, s.current(name)))
}

// putsRight has somebody interfere with the system's own tools.
func (s *service) putsRight(r *real, name string) {
	t := s.t
	mooring := s.managed(nil, name).Name
	r.sh(
		"gpasswd -a erlend sudo; usermod -c Somebody " + mooring +
			"; sed -i 's/^deny.*/deny = 50/' /etc/security/faillock.conf; sed -i 's/^minlen.*/minlen = 6/' " +
			"/etc/security/pwquality.conf.d/rankwarden.conf; chage -M 900 erlend",
	)
	s.until(func() bool { return members(r, "sudo") == mooring })
	s.until(func() bool {
		return strings.Contains(
			r.sh("cat /etc/security/faillock.conf /etc/security/pwquality.conf.d/*"),
			"deny = 3\n",
		) &&
			strings.Contains(r.sh("cat /etc/security/pwquality.conf.d/*; chage -l erlend"), "minlen = 14\n") &&
			strings.Contains(r.sh("chage -l erlend"), ": 60")
	})
	s.comesTo(name, "in_step")
	s.until(func() bool {
		for _, e := range s.events(client.EventQuery{Kind: "member_removed"}) {
			if strings.Contains(e.Words, "erlend") {
				return true
			}
		}
		return false
	})
	before := s.current(name)
	r.sh("echo '" + mooring + ":Set-by-hand-4711' | chpasswd")
	s.until(func() bool { return s.current(name) != before })
	assert.ErrorIs(t, r.SignIn(t.Context(), s.managed(nil, name).Name, "Set-by-hand-4711"), hands.ErrRefused)
	r.sh("userdel " + s.managed(nil, name).Name)
	s.until(func() bool { a, bound := s.bound(name); return bound && a.SID != "S-1-22-1-1000" })
	s.comesTo(name, "in_step")
	require.NoError(t, r.SignIn(t.Context(), s.managed(nil, name).Name, s.current(name)))
}

// changesAfterUse signs in with the password from escrow; an hour later it is another one, and the session is over.
func (s *service) changesAfterUse(r *real, name string) {
	t := s.t
	seen := func() int { return len(s.events(client.EventQuery{Kind: "account_used"})) }
	used, n := s.current(name), seen()
	require.NoError(t, r.SignIn(t.Context(), s.managed(nil, name).Name, used))
	s.until(func() bool { return seen() > n })
	s.clock.forward(2 * time.Hour) // what was used so far is changed
	s.until(func() bool { return s.current(name) != used })
	s.comesTo(name, "in_step")

	secret := s.current(name)
	n = seen()
	there, err := r.Stay(t.Context(), s.managed(nil, name).Name, secret)
	require.NoError(t, err)
	require.True(t, there())
	s.until(func() bool { return seen() > n })
	s.clock.forward(61 * time.Minute)
	s.until(func() bool { return !there() })
	s.until(func() bool { return s.current(name) != secret })
	assert.ErrorIs(t, r.SignIn(t.Context(), s.managed(nil, name).Name, secret), hands.ErrRefused)
}
