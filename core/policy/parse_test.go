package policy_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

const head = "format: rankwarden.policy/1\nname: p\n"

func TestParseNormalises(t *testing.T) {
	doc, problems := policy.Parse([]byte(head+`
membership:
  - {local_group: Administrators, mode: exact, members: ["LOCAL:Keeper", "sid:s-1-5-21-7-8-9-1104", local:keeper]}
  - {local_group: cranes, custom: true, mode: adjust, remove: [builtin:guest]}
passwords: {min_length: 0x10, complexity: false}
lockout: {threshold: 5, duration: 2h}
`), nil)
	require.True(t, policy.Usable(problems), "%v", problems)
	n := doc.Normalise(nil)
	assert.Equal(t, unit.Statement{Mode: unit.Exact, Remove: []principal.Ref{}, Members: []principal.Ref{
		principal.Administrator, principal.MustParse("local:keeper"), principal.MustParse("sid:S-1-5-21-7-8-9-1104")}},
		asked(n, unit.Administrators))
	assert.Equal(
		t,
		unit.Statement{Mode: unit.Adjust, Members: []principal.Ref{}, Remove: []principal.Ref{principal.Guest}},
		asked(n, unit.MembershipOf("cranes")),
	)
	assert.Equal(
		t,
		[]unit.Value{unit.Int(16), unit.Bool(false)},
		[]unit.Value{asked(n, unit.MinLength), asked(n, unit.Complexity)},
	)
	assert.Equal(t, unit.LockoutValue{Threshold: 5, DurationMinutes: 120, WindowMinutes: 120}, asked(n, unit.Lockout))
	assert.Len(t, n.Asks, 5)
	require.Len(t, problems, 2)
	assert.Equal(t, policy.CodeDuplicate, problems[0].Code, "a member named twice is worth a warning")
	assert.Equal(t, policy.CodePlatform, problems[1].Code, "so is what some devices cannot enforce")
}

// A minimum length that a system does not enforce is warned of at its place, for either system.
func TestAMinimumThatSystemsDoNotEnforce(t *testing.T) {
	for length, want := range map[int]string{
		5: "Linux always ask for 6", 6: "", 14: "", 15: "Windows that do not take",
	} {
		_, problems := policy.Parse(fmt.Appendf(nil,
			"format: rankwarden.policy/1\nname: a\npasswords: {min_length: %d}", length), nil)
		if want == "" {
			assert.Empty(t, problems, length)
			continue
		}
		require.Len(t, problems, 1, length)
		assert.Contains(t, problems[0].Message, want)
		assert.Equal(t, "passwords.min_length", problems[0].Path)
	}
}

// asked is what a policy asks for, nil when it does not.
func asked(n *policy.Normal, id unit.ID) unit.Value {
	for _, a := range n.Asks {
		if a.Unit == id {
			return a.Value
		}
	}
	return nil
}

func TestLockoutDefaults(t *testing.T) {
	for lockout, want := range map[string]unit.LockoutValue{
		"{threshold: 0}":                           {},
		"{threshold: 3}":                           {Threshold: 3, DurationMinutes: 15, WindowMinutes: 15},
		"{threshold: 3, duration: 0m}":             {Threshold: 3, DurationMinutes: 0, WindowMinutes: 15},
		"{threshold: 3, duration: 0m, window: 1d}": {Threshold: 3, DurationMinutes: 0, WindowMinutes: 1440},
		"{threshold: 3, duration: 1h}":             {Threshold: 3, DurationMinutes: 60, WindowMinutes: 60},
	} {
		doc, problems := policy.Parse([]byte(head+"lockout: "+lockout), nil)
		require.Empty(t, problems, lockout)
		assert.Equal(t, want, asked(doc.Normalise(nil), unit.Lockout), lockout)
	}
}

// Every problem has a place, a stable code, and a message that says the way out.
func TestParseProblems(t *testing.T) {
	for name, c := range map[string]struct{ body, want, says string }{
		"unknown key": {"passwords: {min_lenght: 14}", "3:13 unknown_key passwords.min_lenght",
			`did you mean "min_length"?`},
		"far from any key":     {"zebra: 1", "3:1 unknown_key zebra", "known here: accounts, builtins"},
		"password in document": {"password: abc", "3:1 secret_in_document password", "never holds a password"},
		"key twice":            {"title: a\ntitle: b", "4:1 duplicate title", "line 3"},
		"text for a number": {"passwords: {history: many}", "3:22 wrong_type passwords.history",
			"whole number from 0 to 24"},
		"too large": {"passwords: {min_length: 129}", "3:25 out_of_bounds passwords.min_length",
			"from 0 to 128"},
		"far too large": {"passwords: {min_length: 99999999999999999999}",
			"3:25 out_of_bounds passwords.min_length", "out of bounds"},
		"a list for a mapping": {"lockout: [5]", "3:10 wrong_type lockout", "a list stands here"},
		"number for text":      {"title: 12", "3:8 wrong_type title", `"12"`},
		"no threshold":         {"lockout: {duration: 15m}", "3:10 missing lockout.threshold", "add it"},
		"bad duration": {"lockout: {threshold: 1, duration: 15 min}", "3:35 wrong_type lockout.duration",
			"such as 15m"},
		"long minutes": {"lockout: {threshold: 1, duration: 100000}", "3:35 out_of_bounds lockout.duration", "100000m"},
		"long duration": {"lockout: {threshold: 1, duration: 70d}", "3:35 out_of_bounds lockout.duration",
			"99999m"},
		"window too long": {"lockout: {threshold: 1, duration: 5m, window: 6m}",
			"3:10 window_exceeds_duration lockout.window", "at most duration"},
		"never locks": {"lockout: {threshold: 0, window: 6m}", "3:10 lockout_off_with_times lockout",
			"take them out"},
		"ages": {"passwords: {min_age_days: 9, max_age_days: 9}",
			"3:12 min_age_not_below_max_age passwords.min_age_days", "smaller"},
		"unknown local group": {"membership: [{local_group: administratrs, mode: exact}]",
			"3:28 unknown_local_group membership[0].local_group", "did you mean administrators?"},
		"local group twice": {"membership: [{local_group: users, mode: exact}, {local_group: USERS, mode: exact}]",
			"3:63 duplicate membership[1].local_group", "into one"},
		"bad mode": {"membership: [{local_group: users, mode: only}]",
			"3:41 unknown_choice membership[0].mode", "exact, adjust"},
		"no kind": {"membership: [{local_group: users, mode: exact, members: [keeper]}]",
			"3:58 bad_principal membership[0].members[0]", "write account:, builtin:"},
		"bad identifier": {"membership: [{local_group: users, mode: exact, members: ['sid:S-1-5-x']}]",
			"3:58 bad_principal membership[0].members[0]", "plain number"},
		"invisible in name": {"membership: [{local_group: users, mode: exact, members: [\"local:kee\\u200bper\"]}]",
			"3:58 bad_principal membership[0].members[0]", "U+200B"},
		"bidi in title": {"title: \"a\\u202eb\"", "3:8 bad_character title", "text-direction character U+202E"},
		"in and out": {"membership: [{local_group: users, mode: adjust, members: [local:a], remove: [local:A]}]",
			"3:77 member_also_removed membership[0].remove", "keep one"},
		"remove with exact": {"membership: [{local_group: users, mode: exact, remove: [local:a]}]",
			"3:14 remove_with_exact membership[0].remove", "mode adjust"},
		"nothing to adjust": {"membership: [{local_group: users, mode: adjust}]",
			"3:14 nothing_to_adjust membership[0]", "name somebody"},
		"keeps its own": {"membership: [{local_group: administrators, mode: adjust, remove: [builtin:administrator]}]",
			"3:14 builtin_administrator_removed membership[0].remove", "keeps"},
		"nothing asked": {"title: t", "1:1 empty_policy ", "asks for nothing"},
		"alias":         {"passwords: &p {history: 1}", "3:12 bad_syntax passwords", "write the value out"},
		"two documents": {"lockout: {threshold: 1}\n---\nx: 1", "1:1 bad_syntax ", "one policy a file"},
		"not yaml":      {"passwords: {history: 1", "", "neither YAML nor JSON"},
	} {
		t.Run(name, func(t *testing.T) {
			_, problems := policy.Parse([]byte(head+c.body), nil)
			require.False(t, policy.Usable(problems))
			p := problems[0]
			if c.want != "" {
				assert.Equal(t, c.want, fmt.Sprintf("%d:%d %s %s", p.Line, p.Column, p.Code, p.Path))
			}
			assert.Contains(t, p.Message, c.says)
		})
	}
}

func TestParseReportsAllAtOnceByPlace(t *testing.T) {
	_, problems := policy.Parse(
		[]byte("name: P!\nlockout: {treshold: 1}\npasswords: {history: 99}\nformat: other/1\n"),
		nil,
	)
	var codes []string
	for _, p := range problems {
		codes = append(codes, p.Code)
	}
	assert.Equal(
		t,
		[]string{policy.CodeName, policy.CodeMissing, policy.CodeUnknownKey, policy.CodeBounds, policy.CodeFormat},
		codes,
	)
}

func TestParseTooLarge(t *testing.T) {
	_, problems := policy.Parse([]byte(strings.Repeat("#", policy.MaxSize+1)), nil)
	require.Len(t, problems, 1)
	assert.Equal(t, policy.CodeTooLarge, problems[0].Code)
}

func BenchmarkParse200Lines(b *testing.B) {
	var source strings.Builder
	source.WriteString(head + "lockout: {threshold: 5}\nmembership:\n")
	for i := range 40 {
		fmt.Fprintf(
			&source,
			"  - local_group: team-%d\n    custom: true\n    mode: adjust\n    members:\n      - local:person-%d\n",
			i,
			i,
		)
	}
	b.SetBytes(int64(source.Len()))
	for b.Loop() {
		if _, problems := policy.Parse([]byte(source.String()), nil); len(problems) > 0 {
			b.Fatal(problems)
		}
	}
}

// A bare number is minutes where nobody counts in anything else, and the document is told so.
func TestMinutesWithoutAUnit(t *testing.T) {
	doc, problems := policy.Parse([]byte(head+"lockout: {threshold: 5, duration: 30, window: 15m}"), nil)
	require.NotNil(t, doc)
	assert.Equal(t, 30*time.Minute, *doc.Lockout.Duration)
	require.Len(t, problems, 1)
	assert.Equal(t, "lockout.duration: 30 is read as minutes; write 30m",
		problems[0].Path+": "+problems[0].Message)
	_, problems = policy.Parse([]byte(head+"rotation: [{target: builtin:administrator, every: 30}]"), nil)
	assert.False(t, policy.Usable(problems), "days and hours are said")
}
