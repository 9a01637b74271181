//go:build linux

package linux

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/kit/atomicfile"
)

// Files of the system.
const (
	passwdFile = "/etc/passwd"
	shadowFile = "/etc/shadow"
	groupFile  = "/etc/group"
	gshadow    = "/etc/gshadow"
	loginDefs  = "/etc/login.defs"
)

// person is a line of passwd(5), and of shadow(5) where it has one.
type person struct {
	name     string
	uid, gid int
	gecos    string
	home     string
	shell    string
	hash     string
	changed  int // day since 1970 on which the password was set; -1 unknown
	minDays  int // -1 where it has none
	maxDays  int // -1 where it has none: the password never expires
	inactive int // days after which an expired password opens nothing any more; -1 never
	expires  int // day since 1970 from which nobody signs in; -1 never
	shadowed bool
	shares   []string // other accounts of the same number
	second   bool     // another line has its number before it
}

// group is a line of group(5).
type group struct {
	name     string
	gid      int
	members  []string
	password string   // of gshadow(5) or of the line itself; empty where none lets anybody in
	managers []string // who may add members, see gpasswd(1)
	hidden   []string // who is in it by gshadow(5) alone, so that newgrp(1) lets them in
}

// database is who there is.
type database struct {
	people []person
	groups []group
	defs   map[string]string // of login.defs
}

func readDatabase() (database, error) {
	passwd, err := os.ReadFile(passwdFile)
	if err != nil {
		return database{}, fmt.Errorf("reading accounts: %w", err)
	}
	shadow, err := os.ReadFile(shadowFile)
	if err != nil {
		return database{}, fmt.Errorf("reading accounts: %w", err)
	}
	d := database{
		people: parsePeople(string(passwd), string(shadow)),
		groups: parseGroups(string(readOr(groupFile)), string(readOr(gshadow))),
		defs:   assignments(string(readOr(loginDefs)), " "),
	}
	if len(d.people) == 0 || len(d.groups) == 0 {
		return database{}, errors.New("the files of accounts or groups hold nothing that can be read; see passwd(5)")
	}
	return d, nil
}

// parsePeople reads passwd(5) and shadow(5). Lines that are not accounts of this device are left out.
func parsePeople(passwd, shadow string) []person {
	secrets := map[string][]string{}
	for fields := range records(shadow, 8) {
		secrets[fields[0]] = fields
	}
	var people []person
	for fields := range records(passwd, 7) {
		p := person{
			name:     fields[0],
			uid:      natural(fields[2]),
			gid:      natural(fields[3]),
			gecos:    fields[4],
			home:     fields[5],
			shell:    fields[6],
			hash:     "*",
			changed:  -1,
			minDays:  -1,
			maxDays:  -1,
			inactive: -1,
			expires:  -1,
		}
		if p.uid < 0 || p.gid < 0 || strings.HasPrefix(p.name, "+") || strings.HasPrefix(p.name, "-") {
			continue
		}
		if s, there := secrets[p.name]; there {
			p.hash, p.shadowed = s[1], true
			p.changed, p.minDays, p.maxDays = natural(s[2]), natural(s[3]), natural(s[4])
			p.inactive, p.expires = natural(s[6]), natural(s[7])
		}
		people = append(people, p)
	}
	noteShared(people)
	return people
}

// noteShared notes which accounts have the same number.
func noteShared(people []person) {
	of := map[int][]int{}
	for i, p := range people {
		of[p.uid] = append(of[p.uid], i)
	}
	for _, list := range of {
		for n, i := range list {
			people[i].second = n > 0
			for _, other := range list {
				if other != i {
					people[i].shares = append(people[i].shares, people[other].name)
				}
			}
		}
	}
}

// parseGroups reads group(5) and gshadow(5).
func parseGroups(text, shadow string) []group {
	secrets := map[string][]string{}
	for fields := range records(shadow, 4) {
		secrets[fields[0]] = fields
	}
	var groups []group
	for fields := range records(text, 4) {
		g := group{name: fields[0], gid: natural(fields[2]), members: listed(fields[3])}
		if g.gid < 0 || strings.HasPrefix(g.name, "+") || strings.HasPrefix(g.name, "-") {
			continue
		}
		password := fields[1]
		if s, there := secrets[g.name]; there {
			password, g.managers = s[1], listed(s[2])
			for _, name := range listed(s[3]) {
				if !slices.Contains(g.members, name) {
					g.hidden = append(g.hidden, name)
				}
			}
		}
		if strings.HasPrefix(password, "$") || len(password) == 13 { // see crypt(5)
			g.password = password
		}
		groups = append(groups, g)
	}
	return groups
}

func listed(field string) []string {
	if field == "" {
		return nil
	}
	return strings.Split(field, ",")
}

// records are the lines of a file with at least so many fields.
func records(text string, fields int) func(yield func([]string) bool) {
	return func(yield func([]string) bool) {
		for line := range strings.Lines(text) {
			if r := strings.Split(strings.TrimRight(line, "\n"), ":"); len(r) >= fields &&
				!strings.HasPrefix(line, "#") {
				if !yield(r) {
					return
				}
			}
		}
	}
}

// natural is a number of such a file; -1 where there is none.
func natural(field string) int {
	if n, err := strconv.Atoi(field); err == nil && n >= 0 {
		return n
	}
	return -1
}

// assignments reads lines such as "KEY value" or "key = value"; what follows # is left out.
func assignments(text, separator string) map[string]string {
	found := map[string]string{}
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(line, "#")
		key, value, _ := strings.Cut(strings.TrimSpace(strings.ReplaceAll(line, "\t", " ")), separator)
		if key = strings.TrimSpace(key); key != "" {
			found[key] = strings.TrimSpace(value)
		}
	}
	return found
}

// number is a setting of login.defs.
func (d database) number(key string, otherwise int) int {
	if n, err := strconv.Atoi(d.defs[key]); err == nil {
		return n
	}
	return otherwise
}

// regular reports whether people sign in with an account: root, and those from UID_MIN to UID_MAX.
func (d database) regular(p person) bool {
	return p.uid == 0 && p.name == "root" || p.uid >= d.number("UID_MIN", 1000) && p.uid <= d.number("UID_MAX", 60000)
}

// named is the account of a name.
func (d database) named(name string) (person, bool) {
	i := slices.IndexFunc(d.people, func(p person) bool { return p.name == name })
	if i < 0 {
		return person{}, false
	}
	return d.people[i], true
}

// find is the account of an identifier.
func (d database) find(sid principal.SID) (person, error) {
	for _, p := range d.people {
		if p.sid() == sid {
			return p, nil
		}
	}
	return person{}, ErrNoAccount
}

// noShells are the programs that stand in place of a shell where nobody signs in.
var noShells = []string{"nologin", "false", "sync", "halt", "shutdown"}

// shown reports whether an account is told of, beside those that are in groups: people sign in with it, it has the
// number of root, or its password opens a shell, whatever its number.
func (d database) shown(p person) bool {
	return d.regular(p) || p.uid == 0 ||
		!p.locked() && !slices.Contains(noShells, filepath.Base(p.shell))
}

// Refusals.
var (
	ErrNoAccount = errors.New("the account does not exist")
	ErrNoGroup   = errors.New("the local group does not exist")
	// ErrShared is matched by what concerns an account whose number another has.
	ErrShared = errors.New("to the system they are one account, so that nothing of it is changed")
)

// sid is the identifier of an account. Of several with one number the system knows the first only; each other one has
// its name in the identifier too.
func (p person) sid() principal.SID {
	if p.second {
		return principal.MustSID(fmt.Sprintf("S-1-22-1-%d-%d", p.uid, digits(p.name)))
	}
	return personSID(p.uid)
}

// sharedError refuses what concerns an account whose number another has.
func (p person) sharedError() error {
	return fmt.Errorf("%s has the number %d, as %s has: %w; give one of them another with usermod --uid", p.name, p.uid,
		strings.Join(p.shares, " and "), ErrShared)
}

// digits are some of a name.
func digits(name string) uint32 {
	sum := fnv.New32a()
	_, _ = sum.Write([]byte(name))
	return sum.Sum32()
}

func personSID(uid int) principal.SID { return principal.MustSID(fmt.Sprintf("S-1-22-1-%d", uid)) }

func groupSID(gid int) principal.SID { return principal.MustSID(fmt.Sprintf("S-1-22-2-%d", gid)) }

// today is the day of shadow(5).
func today(at time.Time) int { return int(at.Unix() / 86400) }

// account is what is reported of an account.
func (d database) account(p person, locked lock, end int) drift.Account {
	a := drift.Account{
		Name: p.name, SID: p.sid(), Enabled: p.enabled(time.Now()), Details: p.details(end),
		PasswordStamp: p.stamp(), Locked: locked.locked, LockedUntil: locked.until,
	}
	if p.uid == 0 && !p.second {
		a.Builtin = principal.Administrator.Value()
	}
	a.SharedWith = p.shares
	if p.changed > 0 {
		a.PasswordSetAt = time.Unix(int64(p.changed)*86400, 0).UTC()
	}
	return a
}

// enabled reports whether anybody can sign in: neither locked nor past its end.
func (p person) enabled(now time.Time) bool {
	return !p.locked() && (p.expires < 0 || today(now) < p.expires)
}

// locked reports whether no password opens the account, see passwd(1). An empty hash is one that everybody opens.
func (p person) locked() bool {
	return strings.HasPrefix(p.hash, "!") || strings.HasPrefix(p.hash, "*")
}

// stamp changes whenever the password is set, and says nothing of it.
func (p person) stamp() string {
	sum := sha256.Sum256([]byte(strings.TrimLeft(p.hash, "!") + "\x00" + strconv.Itoa(p.changed)))
	return hex.EncodeToString(sum[:8])
}

func (h *Host) keptPath() string { return filepath.Join(h.dir, "linux.json") }

// read reads what was kept, if anything.
func (k *kept) read(path string) error {
	data, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err == nil {
		err = json.Unmarshal(data, k)
	}
	if err != nil {
		return fmt.Errorf("host state: %s: %w", path, err)
	}
	return nil
}

func (k *kept) write(path string) error {
	data, err := json.Marshal(k)
	if err == nil {
		err = atomicfile.Write(path, data, 0o600)
	}
	if err != nil {
		return fmt.Errorf("host state: %w", err)
	}
	return nil
}
