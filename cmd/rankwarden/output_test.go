package main

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
)

func printer(output string, width int) (*app, *bytes.Buffer) {
	out := &bytes.Buffer{}
	return &app{output: output, out: out, width: width, now: time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)}, out
}

func finding(words string) api.Finding {
	return api.Finding{Device: "SKL-TKT-001", Words: words}
}

var columns = []column[api.Finding]{
	{title: "Device", value: func(f api.Finding) string { return f.Device }},
	{
		title: "Finding",
		wrap:  1,
		value: func(f api.Finding) string { return f.Words },
		paint: func(api.Finding) text.Colors { return text.Colors{text.FgRed} },
	},
}

func TestListsFitTheTerminal(t *testing.T) {
	text.DisableColors()
	long := strings.Repeat("wrong attempts ", 20)
	a, out := printer("table", 60)
	require.NoError(t, list(a, []api.Finding{finding(long)}, "none", columns...))
	for _, line := range strings.Split(out.String(), "\n") {
		assert.LessOrEqual(t, text.StringWidth(line), 60, line)
	}
	a, out = printer("table", 0)
	require.NoError(t, list(a, []api.Finding{finding(long)}, "none", columns...))
	assert.Contains(t, out.String(), long, "a pipe gets whole lines")
	a, out = printer("table", 60)
	require.NoError(t, list(a, nil, "No finding matches.", columns...))
	assert.Equal(t, "No finding matches.\n", out.String())
}

func TestListsForPrograms(t *testing.T) {
	for output, want := range map[string]string{"json": "[]\n", "yaml": "[]\n", "csv": "Device,Finding\n"} {
		a, out := printer(output, 0)
		require.NoError(t, list(a, nil, "none", columns...))
		assert.Equal(t, want, out.String(), output)
	}
	text.EnableColors()
	defer text.DisableColors()
	a, out := printer("csv", 0)
	require.NoError(t, list(a, []api.Finding{finding(`a "b", c`)}, "none", columns...))
	assert.Equal(t, "Device,Finding\nSKL-TKT-001,\"a \"\"b\"\", c\"\n", out.String(), "no colours in data")
	a, _ = printer("csv", 0)
	assert.Equal(
		t,
		"2031-03-04T06:12:00Z",
		a.when(time.Date(2031, 3, 4, 7, 12, 0, 0, time.FixedZone("", 3600))),
		"times for programs are ISO 8601 in UTC",
	)
	assert.Empty(t, a.whenever(nil))
	a, out = printer("json", 0)
	require.NoError(t, a.data(map[string]string{"password": "a<b>&c"}))
	assert.Contains(t, out.String(), `"a<b>&c"`, "a password is printed as it is")
}

// What a command cannot print is refused before it does anything, and so is a command that there is not.
func TestRefusedBeforeAnythingHappens(t *testing.T) {
	for _, args := range [][]string{
		{"password", "show", "SKL-TKT-001", "--print", "-o", "csv"},
		{"password", "show", "SKL-TKT-001", "--print", "-o", "xml"}, {"order", "send", "rotate", "-o", "csv"},
		{"policy", "chekc", "FILE"}, {"gruop", "list"}, {"whoami", "--json", "-o", "yaml"},
		{"drift", "--since", "yesterday-ish"},
	} {
		out, code := run(t, append(args, "--server", "http://127.0.0.1:1")...)
		assert.Equal(t, 2, code, "%v: %s", args, out)
	}
	out, _ := run(t, "policy", "chekc", "FILE")
	assert.Contains(t, out, `did you mean "check"?`)
}

func TestPointsInTime(t *testing.T) {
	now := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	for written, want := range map[string]time.Time{"2h": now.Add(-2 * time.Hour), "3d": now.Add(-72 * time.Hour),
		"2031-03-01T00:00:00Z": now.AddDate(0, 0, -3).Add(-6 * time.Hour), "": {}} {
		at, err := pointInTime("since", written, now)
		require.NoError(t, err, written)
		assert.True(t, want.Equal(at), written)
	}
	_, err := pointInTime("since", "soon", now)
	assert.ErrorContains(t, err, "write how long ago")
}

func TestTimesInWords(t *testing.T) {
	a, _ := printer("table", 0)
	for ago, want := range map[time.Duration]string{0: "just now", 90 * time.Second: "90 s ago",
		5 * time.Minute: "5 min ago", 3 * time.Hour: "3 h ago", -30 * time.Minute: "in 30 min"} {
		assert.Equal(t, want, a.when(a.now.Add(-ago)))
	}
	assert.Contains(t, a.when(a.now.Add(-72*time.Hour)), "2031-03-01")
	assert.Equal(t, "never", a.whenever(nil))
}

func TestFrameIsDrawnOverTheLastOne(t *testing.T) {
	text.DisableColors()
	o := api.Overview{
		Devices:        40,
		Online:         39,
		OnlineVerified: 20,
		Standings:      api.Standings{InStep: 20, Waiting: 19, Silent: 1},
	}
	a, out := printer("table", 100)
	first := a.frame(o, "")
	assert.Contains(t, first, "20 of 39 online verified")
	assert.Contains(t, out.String(), strings.Repeat("█", 30)+strings.Repeat("▒", 28)+"░")
	out.Reset()
	assert.Equal(t, first, a.frame(o, first))
	assert.Empty(t, out.String(), "nothing changed")
	o.OnlineVerified = 39
	a.frame(o, first)
	assert.True(t, strings.HasPrefix(out.String(), text.CursorUp.Sprintn(2)))
	a, out = printer("table", 0)
	a.frame(o, "")
	assert.Equal(t, 1, strings.Count(out.String(), "\n"), "a line for each change where there is no terminal")
	assert.NotContains(t, out.String(), "█")
}
