//go:build linux

package linux

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"

	"rankwarden.example/internal/agent/host/linux/door"
	"rankwarden.example/internal/kit/atomicfile"
)

// trialAccount is the account with which signing in is tried. It exists only meanwhile; no group has it, and no shell
// is opened with it.
const trialAccount = "rankwarden-trial"

// Services of PAM by which people sign in, the ones that every system has first, and the one by which they change their
// passwords. The trial of each is a service of its own, whose name begins with the prefix.
var (
	signInServices = []string{"login", "sshd", "su", "gdm-password", "lightdm", "sddm"}
	changeService  = "passwd"
	trialPrefix    = "rankwarden-"
)

// known are modules that a trial goes through. What else a service asks, such as a second factor, whether the day of
// the week is right or somebody is in a group, the throw-away account passes by.
var known = strings.Fields(`pam_unix.so pam_faillock.so pam_pwquality.so pam_pwhistory.so pam_cracklib.so pam_deny.so
	pam_permit.so pam_sss.so pam_winbind.so pam_ldap.so pam_krb5.so pam_echo.so pam_env.so pam_cap.so pam_warn.so
	pam_localuser.so pam_usertype.so pam_tally2.so pam_passwdqc.so`)

// errNoHelper is given where the system's PAM cannot be tried.
var errNoHelper = fmt.Errorf("%w: %s, which comes with the agent", ErrMissing, door.Program)

// helper is the program that goes through PAM.
func (h *Host) helper() (string, error) {
	if own, err := os.Executable(); err == nil {
		if path := filepath.Join(filepath.Dir(own), door.Program); isProgram(path) {
			return path, nil
		}
	}
	for _, dir := range append([]string{"/usr/libexec/rankwarden", "/usr/lib/rankwarden"}, h.Tools.Dirs...) {
		if path := filepath.Join(dir, door.Program); isProgram(path) {
			return path, nil
		}
	}
	return "", errNoHelper
}

func isProgram(path string) bool {
	_, err := exec.LookPath(path)
	return err == nil
}

// doors are services on trial, with an account that can be thrown away.
type doors struct {
	host     *Host
	helper   string
	confdir  string
	uid      int
	password string // of the account, now
}

// onTrial makes a throw-away account and copies of all services, and takes both away when do has ended.
func (h *Host) onTrial(ctx context.Context, texts map[string]string, do func(t *doors) error) (err error) {
	t := &doors{host: h, password: strong(24)}
	if t.helper, err = h.helper(); err != nil {
		return err
	}
	if err := h.removeTrialAccount(ctx); err != nil {
		return err
	}
	if t.confdir, err = os.MkdirTemp("/run", "rankwarden-pam-"); err != nil {
		return err
	}
	defer os.RemoveAll(t.confdir)
	for name, text := range texts {
		mine := filterPAM(text)
		for _, file := range []string{name, trialPrefix + name} {
			if err := os.WriteFile(filepath.Join(t.confdir, file), []byte(mine), 0o600); err != nil {
				return err
			}
		}
	}
	d, err := readDatabase()
	if err != nil {
		return err
	}
	if t.uid, err = d.trialUID(); err != nil {
		return err
	}
	defer func() { err = errors.Join(err, h.removeTrialAccount(context.WithoutCancel(ctx))) }()
	if _, err := h.Tools.run(ctx, "", "useradd", "--system", "--uid", strconv.Itoa(t.uid), "--no-user-group",
		"--gid", "65534", "--no-create-home", "--home-dir", "/nonexistent", "--shell", "/usr/sbin/nologin",
		trialAccount); err != nil {
		return err
	}
	if _, err := h.Tools.run(ctx, trialAccount+":"+t.password+"\n", "chpasswd"); err != nil {
		return err
	}
	return do(t)
}

// trialUID is a number for the account: one of those that people have, so that what holds for them holds for it, and
// the last of them, so that nobody else comes to have it.
func (d database) trialUID() (int, error) {
	least, most := d.number("UID_MIN", 1000), d.number("UID_MAX", 60000)
	for uid := most; uid >= least; uid-- {
		if !slices.ContainsFunc(d.people, func(p person) bool { return p.uid == uid }) {
			return uid, nil
		}
	}
	return 0, fmt.Errorf("no identifier is left up to UID_MAX of %s, which is %d", loginDefs, most)
}

// filterPAM replaces the lines of modules that a trial passes by. The number of lines stays, since some count them. A
// module that is missing stays: it fails for everybody.
func filterPAM(text string) string {
	var out strings.Builder
	for line := range strings.Lines(text) {
		parsed := parsePAM("", line)
		if len(parsed) == 1 && !parsed[0].includes() && !slices.Contains(known, parsed[0].module) &&
			(hasModule(parsed[0].module) || parsed[0].quiet) {
			fmt.Fprintf(&out, "%s optional pam_permit.so\n", parsed[0].kind)
			continue
		}
		out.WriteString(line)
	}
	return out.String()
}

// enter signs in by services with passwords, one after the other.
func (t *doors) enter(ctx context.Context, service string, passwords ...string) ([]door.Outcome, error) {
	steps := make([]door.Step, len(passwords))
	for i, p := range passwords {
		steps[i] = door.Step{Service: trialPrefix + service, Password: p}
	}
	return t.take(ctx, steps)
}

// change changes the password of the account to another one, as its owner; it reports whether the system took it.
func (t *doors) change(ctx context.Context, to string) (bool, error) {
	outcomes, err := t.take(ctx, []door.Step{{Service: trialPrefix + changeService, Old: t.password, Password: to}})
	if err != nil {
		return false, err
	}
	if outcomes[0].Let() {
		t.password = to
	}
	return outcomes[0].Let(), nil
}

func (t *doors) take(ctx context.Context, steps []door.Step) ([]door.Outcome, error) {
	in, err := json.Marshal(door.Trial{ConfDir: t.confdir, User: trialAccount, UID: t.uid, Steps: steps})
	if err != nil {
		return nil, err
	}
	out, err := t.host.Tools.runFile(ctx, string(in), t.helper)
	if err != nil {
		return nil, err
	}
	var outcomes []door.Outcome
	if err := json.Unmarshal([]byte(out), &outcomes); err != nil || len(outcomes) != len(steps) {
		return nil, fmt.Errorf("%s: what it answered is not an answer: %w", door.Program, err)
	}
	return outcomes, nil
}

// forget has the system forget the wrong passwords of the account.
func (t *doors) forget(ctx context.Context) error { return t.host.forgetWrong(ctx, trialAccount) }

// removeTrialAccount removes the account, and what the system keeps under its name.
func (h *Host) removeTrialAccount(ctx context.Context) error {
	for _, p := range parsePeople(string(readOr(passwdFile)), "") {
		if p.name != trialAccount {
			continue
		}
		if err := h.forgetWrong(ctx, trialAccount); err != nil {
			return err
		}
		if _, err := h.Tools.run(ctx, "", "userdel", trialAccount); err != nil {
			return err
		}
	}
	if tally := filepath.Join(h.tallies(), trialAccount); tally != "" {
		if err := os.Remove(tally); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return forgetFormer(trialAccount)
}

// formerFile is where pam_pwhistory(8) keeps former passwords.
const formerFile = "/etc/security/opasswd"

// forgetFormer removes what the system remembers of the former passwords of an account.
func forgetFormer(name string) error {
	text, err := os.ReadFile(formerFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil || !bytes.Contains(text, []byte(name+":")) {
		return err
	}
	unlock, err := lockPasswords()
	if err != nil {
		return err
	}
	defer unlock()
	if text, err = os.ReadFile(formerFile); err != nil {
		return err
	}
	var rest []byte
	for line := range bytes.Lines(text) {
		if !bytes.HasPrefix(line, []byte(name+":")) {
			rest = append(rest, line...)
		}
	}
	info, err := os.Stat(formerFile)
	if err != nil {
		return err
	}
	return atomicfile.Write(formerFile, rest, info.Mode().Perm())
}

// lockPasswords takes the lock of lckpwdf(3), under which the system changes passwords.
func lockPasswords() (unlock func(), err error) {
	f, err := os.OpenFile("/etc/.pwd.lock", os.O_WRONLY|os.O_CREATE|syscall.O_CLOEXEC, 0o600)
	if err != nil {
		return nil, err
	}
	lock := syscall.Flock_t{Type: syscall.F_WRLCK}
	if err := syscall.FcntlFlock(f.Fd(), syscall.F_SETLKW, &lock); err != nil {
		f.Close()
		return nil, err
	}
	return func() { f.Close() }, nil
}

// Letters of the four classes that pam_pwquality(8) knows, and how many it takes two of them for.
var letterClasses = []string{"abcdefghijkmnopqrstuvwxyz", "23456789", "ABCDEFGHJKLMNPQRSTUVWXYZ", "-_.:+=,%"}

// strong is a password of a length with letters of all classes, by lot.
func strong(length int) string { return mixed(length, letterClasses) }

// mixed is a password of a length whose letters are of some classes in turn, by lot. No letter is twice in a row.
func mixed(length int, classes []string) string {
	var text strings.Builder
	last := byte(0)
	for i := 0; i < length; {
		class := classes[i%len(classes)]
		n, err := rand.Int(rand.Reader, big.NewInt(int64(len(class))))
		if err != nil {
			panic(err) // crypto/rand gives none, see its documentation
		}
		if c := class[n.Int64()]; c != last {
			text.WriteByte(c)
			last = c
			i++
		}
	}
	return text.String()
}
