//go:build linux

package linux

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// authLogs are where syslog keeps what PAM tells, by the family of the system.
var authLogs = []string{"/var/log/auth.log", "/var/log/secure"}

// mostLog bounds how much of a log is read at once, from its end, in bytes.
const mostLog = 1 << 20

// opened is what pam_unix(8) writes when a session is opened, and by whom.
var opened = regexp.MustCompile(`pam_unix\(([^:)]+):session\): session opened for user ([^\s(]+)(?:\(uid=\d+\))? by (\S*)\(uid=(\d+)\)`)

// notPeople are services by which the system itself opens sessions.
var notPeople = []string{"cron", "crond", "systemd-user", "atd", "runuser", "runuser-l", "polkit-1"}

// session is a session that was opened: by which service, as whom, and who asked for it.
type session struct {
	service, name string
	by            int // the number of whoever asked; 0 for the system
}

// parseSession reads a line of a log; false for any other line.
func parseSession(line string) (session, bool) {
	found := opened.FindStringSubmatch(line)
	if found == nil || slices.Contains(notPeople, found[1]) {
		return session{}, false
	}
	by, err := strconv.Atoi(found[4])
	return session{found[1], found[2], by}, err == nil
}

// uses are the accounts that a session is a use of: the one that it is opened as, and of sudo(8) and su(1) also the one
// that asked for it.
func (s session) uses(d database) []string {
	asked := ""
	for _, p := range d.people {
		if p.uid == s.by && s.by != 0 && asked == "" {
			asked = p.name
		}
	}
	switch {
	case s.service == "sudo" || s.service == "sudo-i":
		return []string{asked}
	case asked != "":
		return []string{s.name, asked}
	}
	return []string{s.name}
}

// sessionsAfter are the sessions of a log that were opened after a microsecond and that no terminal is kept of,
// oldest first.
func (h *Host) sessionsAfter(ctx context.Context, d database, after int64) ([]login, error) {
	lines, err := h.logAfter(ctx, after)
	if err != nil {
		return nil, err
	}
	var found []login
	for _, l := range lines {
		s, is := parseSession(l.text)
		if !is || l.at.UnixMicro() <= after {
			continue
		}
		for _, name := range s.uses(d) {
			if name != "" && name != trialAccount {
				found = append(found, login{name, l.at})
			}
		}
	}
	return found, nil
}

// logLine is a line of a log.
type logLine struct {
	at   time.Time
	text string
}

// Where there is no file, the journal of systemd is read, which takes a program: when systemd keeps a session that it
// did not keep before, and else, for whoever became somebody else within one, every so often.
const (
	sessionsKept = "/run/systemd/sessions"
	journalEvery = time.Minute
	// journalFirst is how far back it is read the first time.
	journalFirst = 24 * time.Hour
)

// logAfter reads the log of signing in: a file of syslog, else the journal of systemd.
func (h *Host) logAfter(ctx context.Context, after int64) ([]logLine, error) {
	for _, path := range authLogs {
		f, err := os.Open(path)
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		defer f.Close()
		info, err := f.Stat()
		if err != nil || info.Size() == h.last.log.size {
			return nil, err
		}
		h.last.log.size = info.Size()
		return readLog(f, time.Now())
	}
	fresh := h.sessionKept.Swap(false)
	if !fresh && time.Since(h.last.log.at) < journalEvery || !h.Tools.has("journalctl") {
		return nil, nil
	}
	h.last.log.at = time.Now()
	first := h.last.log.at.Add(-journalFirst)
	if known := time.UnixMicro(after); known.After(first) {
		first = known
	}
	since := first.UTC().Format("2006-01-02 15:04:05")
	out, err := h.Tools.run(ctx, "", "journalctl", "--output=json", "--since="+since+" UTC", "--facility=auth,authpriv",
		"--lines=5000", "--no-pager")
	if err != nil {
		return nil, nil // a journal that cannot be read tells of no sign-ins
	}
	return parseJournal(out), nil
}

// readLog reads the end of a file of syslog. Lines are stamped as RFC 3339, or as RFC 3164 without a year.
func readLog(f io.ReadSeeker, now time.Time) ([]logLine, error) {
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return nil, err
	}
	if _, err := f.Seek(max(0, end-mostLog), io.SeekStart); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(f)
	if err != nil {
		return nil, err
	}
	var lines []logLine
	for line := range bytes.Lines(data) {
		text := strings.TrimRight(string(line), "\n")
		if at, ok := stampOf(text, now); ok {
			lines = append(lines, logLine{at, text})
		}
	}
	return lines, nil
}

// stampOf is when a line of syslog was written.
func stampOf(line string, now time.Time) (time.Time, bool) {
	word, _, _ := strings.Cut(line, " ")
	if at, err := time.Parse(time.RFC3339Nano, word); err == nil {
		return at.UTC(), true
	}
	if len(line) < len(time.Stamp) {
		return time.Time{}, false
	}
	at, err := time.ParseInLocation(time.Stamp, line[:len(time.Stamp)], time.Local)
	if err != nil {
		return time.Time{}, false
	}
	at = at.AddDate(now.Year(), 0, 0)
	if at.After(now.Add(24 * time.Hour)) { // of the end of last year
		at = at.AddDate(-1, 0, 0)
	}
	return at.UTC(), true
}

// parseJournal reads what journalctl writes as JSON, a line for each entry: of programs with rights alone, since
// anybody may write to the journal that somebody signed in. See systemd.journal-fields(7).
func parseJournal(out string) []logLine {
	var lines []logLine
	for line := range strings.Lines(out) {
		var entry struct {
			Message string `json:"MESSAGE"`
			At      string `json:"__REALTIME_TIMESTAMP"`
			UID     string `json:"_UID"`
			Rights  string `json:"_CAP_EFFECTIVE"`
		}
		if json.Unmarshal([]byte(line), &entry) != nil {
			continue // a message that is no text
		}
		if entry.UID != "0" && strings.Trim(entry.Rights, "0") == "" {
			continue
		}
		if micros, err := strconv.ParseInt(entry.At, 10, 64); err == nil {
			lines = append(lines, logLine{time.UnixMicro(micros).UTC(), entry.Message})
		}
	}
	return lines
}
