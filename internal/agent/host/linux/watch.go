//go:build linux

package linux

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/fsnotify/fsnotify"
)

// part is something of the system that the host reads, and that others may change. What was read of one holds until
// the system tells of a change.
type part int

const (
	partPeople  part = iota // accounts and groups
	partPowers              // who may become root
	partRules               // how people sign in
	partUses                // as whom services and tasks run
	partRelease             // which system it is
	parts
)

// Where the parts are. A directory stands for all files in it, but not below.
var partPaths = [parts][]string{
	partPeople: {passwdFile, shadowFile, groupFile, gshadow, loginDefs},
	partPowers: append([]string{sudoersFile, "/etc/sudoers.d/", "/etc/polkit-1/", polkitLegacy + "/"},
		slashed(polkitRules)...),
	partRules: slices.Concat([]string{"/etc/security/", qualityDir + "/", loginDefs}, slashed(pamDirs),
		slashed(modulesHere())),
	partUses: append([]string{"/etc/crontab", "/etc/cron.d/", filepath.Dir(cronPeople) + "/"},
		slashed(unitDirs)...),
	partRelease: {"/etc/os-release", "/etc/debian_version"},
}

// modulesHere are the directories in which this system has modules of PAM, each once.
func modulesHere() []string {
	var dirs []string
	for _, pattern := range moduleDirs {
		for _, dir := range globbed(pattern) {
			if real, err := filepath.EvalSymlinks(dir); err == nil && !slices.Contains(dirs, real) {
				dirs = append(dirs, real)
			}
		}
	}
	return dirs
}

func slashed(dirs []string) []string {
	list := make([]string, len(dirs))
	for i, d := range dirs {
		list[i] = d + "/"
	}
	return list
}

// Time of watching.
const (
	// settles is how long after a change it is looked at: programs write several files.
	settles = 300 * time.Millisecond
	// holds is how long what was read is taken for what there is, should the system have told nothing of a change.
	holds = time.Hour
)

// partsRead is what is known of the parts.
type partsRead struct {
	mu      sync.Mutex
	blind   bool // the system tells of no changes, so that everything is read each time
	current [parts]bool
	at      [parts]time.Time
	was     [parts]string // what the files were like when they were read last
}

// due reports whether a part must be read, and notes that it is read now.
func (r *partsRead) due(p part) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.current[p] && !r.blind && time.Since(r.at[p]) < holds {
		return false
	}
	r.current[p], r.at[p], r.was[p] = true, time.Now(), likeness(p)
	return true
}

// holds reports whether what was read of a part is what there is.
func (r *partsRead) holds(p part) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.current[p] && !r.blind && time.Since(r.at[p]) < holds
}

// changed notes that parts may be other ones now; without any, all of them.
func (r *partsRead) changed(which ...part) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(which) == 0 {
		r.current = [parts]bool{}
	}
	for _, p := range which {
		r.current[p] = false
	}
}

// differs reports whether a part is another one than was read last. One that was never read differs from nothing.
func (r *partsRead) differs(p part) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.was[p] != "" && r.was[p] != likeness(p)
}

// likeness is another text whenever a file of a part was written.
func likeness(p part) string { return likenessOf(partPaths[p]...) }

// likenessOf is [likeness] of files, and of all files in directories.
func likenessOf(paths ...string) string {
	var text strings.Builder
	note := func(path string) {
		if path == formerFile { // it changes whenever somebody changes a password
			return
		}
		if info, err := os.Stat(path); err == nil {
			fmt.Fprintf(&text, "%s %d %d %v\n", path, info.Size(), info.ModTime().UnixNano(), info.Mode())
		}
	}
	for _, path := range paths {
		if !strings.HasSuffix(path, "/") {
			note(path)
			continue
		}
		entries, _ := os.ReadDir(path) // there may be none
		for _, e := range entries {
			note(path + e.Name())
		}
	}
	return text.String()
}

// partsOf are the parts that a file belongs to.
func partsOf(path string) (list []part) {
	for p := range parts {
		for _, of := range partPaths[p] {
			if path == of || strings.HasSuffix(of, "/") && (filepath.Dir(path)+"/" == of || path+"/" == of) {
				list = append(list, p)
				break
			}
		}
	}
	return list
}

// Watch implements [host.Host].
func (h *Host) Watch() <-chan struct{} { return h.watch }

// wake has the agent look.
func (h *Host) wake() {
	select {
	case h.watch <- struct{}{}:
	default: // it was told already
	}
}

// listen tells of changes: of the files that the system writes when somebody signs in or gives a wrong password at
// once, of those that say who there is and what holds when they have settled; until the context ends.
func (h *Host) listen(ctx context.Context) error {
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return fmt.Errorf("watching for sign-ins: %w", err)
	}
	tallies := h.tallies()
	if err := os.MkdirAll(tallies, 0o755); err != nil {
		return fmt.Errorf("watching for locked accounts: %w", err)
	}
	if err := w.Add(tallies); err != nil {
		return fmt.Errorf("watching for locked accounts: %w", err)
	}
	_ = w.Add(wtmpFile)       // a device may keep none
	_ = w.Add(lastingTallies) // and may count nowhere else
	_ = w.Add(sessionsKept)   // where systemd runs
	h.watcher = w
	dirs := watchedDirs()
	for _, dir := range dirs {
		if err := w.Add(dir); err != nil && dir == filepath.Dir(passwdFile) {
			h.read.blind = true
		}
	}
	go h.hear(ctx, w, tallies, dirs)
	return nil
}

// watchedDirs are the directories with the files of all parts.
func watchedDirs() []string {
	dirs := []string{filepath.Dir(passwdFile)}
	for _, paths := range partPaths {
		for _, path := range paths {
			if dir := filepath.Dir(path); !slices.Contains(dirs, dir) {
				dirs = append(dirs, dir)
			}
		}
	}
	return dirs
}

// hear is [Host.listen] until the context ends.
func (h *Host) hear(ctx context.Context, w *fsnotify.Watcher, tallies string, dirs []string) {
	defer w.Close()
	var settled <-chan time.Time
	var moved []part
	for {
		select {
		case <-ctx.Done():
			return
		case e := <-w.Events:
			switch {
			case e.Name == wtmpFile:
				if e.Has(fsnotify.Rename) || e.Has(fsnotify.Remove) {
					_ = w.Add(wtmpFile) // another file took its place
				}
				h.wake()
				continue
			case filepath.Dir(e.Name) == tallies, filepath.Dir(e.Name) == lastingTallies:
				h.wake()
				continue
			case filepath.Dir(e.Name) == sessionsKept:
				if e.Has(fsnotify.Create) {
					h.sessionKept.Store(true)
					h.wake()
				}
				continue
			case e.Op == fsnotify.Chmod: // nothing was written
				continue
			case e.Has(fsnotify.Create) && slices.Contains(dirs, e.Name):
				_ = w.Add(e.Name) // it may be gone again
			}
			if of := partsOf(e.Name); len(of) > 0 {
				h.read.changed(of...)
				moved, settled = append(moved, of...), cmp.Or(settled, time.After(settles))
			}
		case <-w.Errors: // some changes were not told
			h.read.changed()
			moved, settled = []part{partPeople, partPowers, partRules}, cmp.Or(settled, time.After(settles))
		case <-settled:
			settled = nil
			if slices.ContainsFunc(moved, func(p part) bool { return p < partUses && h.read.differs(p) }) {
				h.wake()
			}
			moved = nil
		}
	}
}
