package e2e

import (
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// step is a command of the tour with what the README says that it prints.
type step struct {
	command string
	prints  []string
}

// tourOf are the steps of a document: lines that begin with a dollar sign, and what stands below each.
func tourOf(t *testing.T, path string) (steps []step) {
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	inside := false
	for line := range strings.Lines(string(text)) {
		line = strings.TrimRight(line, "\n")
		switch command, is := strings.CutPrefix(line, "$ "); {
		case strings.HasPrefix(line, "```"):
			inside = !inside
		case inside && is:
			steps = append(steps, step{command: command})
		case inside && len(steps) > 0 && strings.TrimSpace(line) != "":
			steps[len(steps)-1].prints = append(steps[len(steps)-1].prints, line)
		}
	}
	return steps
}

var (
	age      = regexp.MustCompile(`(just now|\d+ (s|min|h) ago)`)
	number   = regexp.MustCompile(`\d+(\.\d+)?`)
	month    = regexp.MustCompile(`\b(Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec)\b`)
	password = regexp.MustCompile(`^    \S{12,}$`)
)

// like is a printed line as a pattern: numbers, months and ages are others each time, ... stands for anything, blanks
// are as many as the table needs, and a password is never twice the same.
func like(line string) *regexp.Regexp {
	if password.MatchString(line) {
		return regexp.MustCompile(`^\s+\S{12,}\s*$`)
	}
	const anAge, aNumber, aMonth = "\x01", "\x02", "\x03"
	line = number.ReplaceAllString(age.ReplaceAllString(month.ReplaceAllString(line, aMonth), anAge), aNumber)
	parts := strings.Split(line, "...")
	for i, p := range parts {
		parts[i] = strings.Join(strings.Fields(regexp.QuoteMeta(p)), `\s+`)
	}
	pattern := strings.Join(parts, `.*`)
	pattern = strings.NewReplacer(anAge, `(just now|\d+ (s|min|h) ago)`, aNumber, `\d+(\.\d+)?`, aMonth, `[A-Z][a-z]{2}`).
		Replace(pattern)
	return regexp.MustCompile(pattern)
}

// matches says which printed line is missing from an output. What happens to devices happens in another order each
// time, and other lines may stand between.
func matches(prints []string, out string) (missing string) {
	lines := strings.Split(out, "\n")
	for _, want := range prints {
		if strings.Trim(want, "─ ") != "" && strings.TrimSpace(want) != "..." &&
			!slices.ContainsFunc(lines, like(want).MatchString) {
			return want
		}
	}
	return ""
}

// alters are the commands that are run once; what only reads is asked again until the demo has come as far as the
// README.
var alters = regexp.MustCompile(`sign-in|order send|password show|mistype|assignment set|policy save|change apply|change approve|change keep|group create|rollout resume|printf`)

// The tour of the README is what one sees: every command of it is run in order in a new demo, and prints what stands
// below it.
func TestTheTourOfTheReadme(t *testing.T) {
	beside(t)
	d := startDemo(t, "--devices", "240", "--interval", "10s")
	dir := t.TempDir() // that the tour is walked in
	root, err := filepath.Abs("..")
	require.NoError(t, err)
	for name, at := range map[string]string{"bin": binaries, "demo": filepath.Join(root, "demo"), ".demo": d.data} {
		require.NoError(t, os.Symlink(at, filepath.Join(dir, name)))
	}
	run := func(command string) (string, error) {
		cmd := exec.CommandContext(t.Context(), "bash", "-c",
			strings.ReplaceAll(command, "http://127.0.0.1:8470", d.url))
		cmd.Dir = dir
		cmd.Env = []string{"HOME=" + d.home, "PATH=" + os.Getenv("PATH"), "TERM=dumb"}
		if strings.Contains(command, "password show") { // which is for a terminal only
			terminal, err := pty.Start(cmd)
			if err != nil {
				return "", err
			}
			out, _ := io.ReadAll(terminal) // ends with an error of its own when the command does
			return strings.ReplaceAll(string(out), "\r\n", "\n"), cmd.Wait()
		}
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	steps := tourOf(t, "../README.md")
	require.Greater(t, len(steps), 20)
	for _, s := range steps {
		var out, missing string
		var err error
		look := func() bool {
			expected := slices.ContainsFunc(s.prints,
				func(line string) bool { return strings.HasPrefix(line, "rankwarden:") })
			if out, err = run(s.command); err != nil && strings.Contains(out, "rankwarden:") && !expected {
				missing = "no error"
				return false
			}
			missing = matches(s.prints, out)
			return missing == ""
		}
		if alters.MatchString(s.command) {
			assert.True(t, look(), "$ %s\nlacks: %s\nprinted:\n%s%v", s.command, missing, out, err)
			continue
		}
		held := false
		for end := time.Now().Add(3 * time.Minute); !held && time.Now().Before(end); {
			if held = look(); !held {
				select {
				case <-t.Context().Done():
				case <-time.After(time.Second):
				}
			}
		}
		assert.True(t, held, "$ %s\nlacks: %s\nprinted:\n%s%v", s.command, missing, out, err)
	}
}
