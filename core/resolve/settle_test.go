package resolve_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Scenarios are written as in "a 100 minimum 12; b 500 minimum 8": an assignment, its rank, and
// what it asks of one unit. Members are single words, which stand for local accounts.
func scenario(t require.TestingT, text string) []resolve.Applying {
	var list []resolve.Applying
	for _, line := range strings.Split(text, ";") {
		words := strings.Fields(line)
		rank, err := strconv.Atoi(words[1])
		require.NoError(t, err)
		list = append(list, resolve.Applying{Name: words[0], Rank: fleet.Rank(rank), Policy: asking(t, words[2:])})
	}
	return list
}

func asking(t require.TestingT, words []string) policy.Normal {
	body := ""
	switch words[0] {
	case "minimum":
		body = "passwords: {min_length: " + words[1] + "}"
	case "maxage":
		body = "passwords: {max_age_days: " + words[1] + "}"
	case "minage":
		body = "passwords: {min_age_days: " + words[1] + "}"
	case "complex":
		body = "passwords: {complexity: " + words[1] + "}"
	case "lockout":
		body = "lockout: {threshold: " + words[1] + "}"
		if len(words) == 4 {
			body = fmt.Sprintf("lockout: {threshold: %s, duration: %s, window: %s}", words[1], words[2], words[3])
		}
	case "exact", "adjust":
		var in, out []string
		for _, w := range words[1:] {
			if name, absent := strings.CutPrefix(w, "-"); absent {
				out = append(out, "local:"+name)
			} else {
				in = append(in, "local:"+w)
			}
		}
		body = fmt.Sprintf("membership: [{local_group: users, mode: %s, members: [%s], remove: [%s]}]", words[0], strings.Join(in, ", "), strings.Join(out, ", "))
	case "admins":
		body = fmt.Sprintf("membership: [{local_group: administrators, mode: exact, members: [%s]}]", strings.Join(words[1:], ", "))
	}
	doc, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: p\n" + body))
	require.True(t, policy.Usable(problems), "%s: %v", body, problems)
	return doc.Normalise()
}

// outcome writes a settled unit as in "ranked 12 | a | b outranked".
func outcome(u resolve.Unit) string {
	value, _ := json.Marshal(u.Value)
	if m, ok := u.Value.(resolve.Members); ok {
		open := map[bool]string{true: "closed", false: "open"}[m.Closed]
		value = []byte(open)
		for _, ref := range m.Present {
			value = append(value, " "+ref.Value()...)
		}
		for _, ref := range m.Absent {
			value = append(value, " -"+ref.Value()...)
		}
	}
	var over []string
	for _, l := range u.Over {
		over = append(over, l.Assignment+" "+string(l.Why))
	}
	return fmt.Sprintf("%s %s | %s | %s", u.Verdict, value, strings.Join(u.From, " "), strings.Join(over, ", "))
}

func TestSettle(t *testing.T) {
	for text, want := range map[string]string{
		"a 100 minimum 12":                                            "sole 12 | a | ",
		"a 100 minimum 12; b 500 minimum 12":                          "agreed 12 | a | b same",
		"a 500 minimum 8; b 100 minimum 12":                           "ranked 12 | b | a outranked",
		"a 100 minimum 8; b 100 minimum 12":                           "stricter 12 | b | a less_strict",
		"a 100 minimum 8; b 100 minimum 12; c 9 minimum 3":            "ranked 3 | c | a outranked, b outranked",
		"a 100 minimum 8; b 100 minimum 12; c 200 minimum 12":         "stricter 12 | b | a less_strict, c same",
		"a 100 maxage 0; b 100 maxage 90; c 100 maxage 30":            "stricter 30 | c | a less_strict, b less_strict",
		"a 100 complex false; b 100 complex true":                     "stricter true | b | a less_strict",
		"a 100 lockout 0; b 100 lockout 10":                           `stricter {"threshold":10,"duration_minutes":15,"window_minutes":15} | b | a less_strict`,
		"a 100 lockout 5 15m 15m; b 100 lockout 5 0m 15m":             `stricter {"threshold":5,"duration_minutes":0,"window_minutes":15} | b | a less_strict`,
		"a 100 lockout 5 30m 15m; b 100 lockout 5 30m 20m":            `stricter {"threshold":5,"duration_minutes":30,"window_minutes":20} | b | a less_strict`,
		"a 100 exact x y; b 500 adjust z":                             "merged closed x y | a | b closed",
		"a 100 exact x y; b 100 adjust -y":                            "merged closed x | a b | ",
		"a 100 exact x y; b 100 adjust z":                             "merged closed x y | a | b closed",
		"a 100 exact x; b 50 adjust z -x":                             "merged closed z | b a | ",
		"a 100 exact x; b 100 exact y; c 200 adjust z":                "contested null |  | a contested, b contested, c closed",
		"a 100 exact x; b 100 exact x; c 500 exact q":                 "merged closed x | a b | c closed",
		"a 100 adjust x; b 500 adjust y":                              "merged open x y | a b | ",
		"a 100 adjust x; b 500 adjust x":                              "merged open x | a | b same",
		"a 100 adjust -x; b 500 adjust x":                             "merged open -x | a | b outranked",
		"a 100 adjust -x; b 100 adjust x":                             "merged open -x | a | b less_strict",
		"a 100 adjust x -y; b 500 adjust y; c 100 adjust -x z":        "merged open z -x -y | a c | b outranked",
		"a 10 adjust x; b 100 exact q; c 100 adjust q; d 1 adjust -x": "merged closed q | d b c | a outranked",
	} {
		t.Run(text, func(t *testing.T) {
			lane := resolve.Settle(scenario(t, text))
			require.Len(t, lane.Units, 1)
			assert.Equal(t, want, outcome(lane.Units[0]))
		})
	}
}

func TestProblemsOfTheWhole(t *testing.T) {
	for text, want := range map[string]string{
		"a 1 admins":                      "no_admin_path(membership.administrators), no_break_glass()",
		"a 1 admins builtin:guest":        "no_admin_path(membership.administrators), no_break_glass()",
		"a 1 admins local:k":              "no_break_glass()",
		"a 1 admins sid:S-1-5-21-1-2-3-4": "no_break_glass()",
		"a 1 minage 30; b 2 maxage 30":    "min_age_not_below_max_age(passwords.max_age_days passwords.min_age_days)",
		"a 1 minage 29; b 2 maxage 30":    "",
		"a 1 minage 29; b 2 maxage 0":     "",
		"a 1 exact":                       "",
	} {
		var got []string
		for _, p := range resolve.Settle(scenario(t, text)).Problems {
			var holds []string
			for _, u := range p.Holds {
				holds = append(holds, u.String())
			}
			got = append(got, fmt.Sprintf("%s(%s)", p.Code, strings.Join(holds, " ")))
		}
		assert.Equal(t, want, strings.Join(got, ", "), text)
	}
}

func TestComposeKeepsWhatIsHeld(t *testing.T) {
	before, held := resolve.Compose(resolve.Settle(scenario(t, "a 100 exact x; b 1 minimum 8")), nil)
	require.Empty(t, held)
	contested := resolve.Settle(scenario(t, "a 100 exact x; c 100 exact y; b 1 minimum 9"))

	after, held := resolve.Compose(contested, before)
	assert.Equal(t, []resolve.Held{{Unit: resolve.MembershipOf("users"), Why: "contested"}}, held)
	assert.Equal(t, before[0], after[0], "the group keeps what it had")
	assert.Equal(t, resolve.Int(9), after[1].Value, "all else goes out")

	after, _ = resolve.Compose(contested, nil)
	require.Len(t, after, 1, "what never had a value is left out")

	ages := resolve.Settle(scenario(t, "a 1 minage 30; b 2 maxage 30"))
	after, held = resolve.Compose(ages, []resolve.Setting{{Unit: resolve.MaxAgeDays, Value: resolve.Int(90)}})
	assert.Equal(t, []resolve.Setting{{Unit: resolve.MaxAgeDays, Value: resolve.Int(90)}}, after)
	assert.Len(t, held, 2)

	data, err := json.Marshal(before)
	require.NoError(t, err)
	var read []resolve.Setting
	require.NoError(t, json.Unmarshal(data, &read))
	assert.Equal(t, before, read, "settings survive being written")
}

// anyScenario draws up to six assignments that may all meet.
func anyScenario(t *rapid.T) string {
	person := rapid.SampledFrom([]string{"x", "y", "z"})
	line := rapid.Custom(func(t *rapid.T) string {
		rank := rapid.SampledFrom([]string{"1", "2", "3"}).Draw(t, "rank")
		switch rapid.IntRange(0, 4).Draw(t, "kind") {
		case 0:
			return rank + " minimum " + strconv.Itoa(rapid.IntRange(6, 9).Draw(t, "minimum"))
		case 1:
			return rank + " lockout " + strconv.Itoa(rapid.IntRange(0, 3).Draw(t, "threshold"))
		case 2:
			return rank + " maxage " + strconv.Itoa(rapid.IntRange(0, 2).Draw(t, "age"))
		case 3:
			return rank + " exact " + strings.Join(slices.Compact(slices.Sorted(slices.Values(rapid.SliceOfN(person, 0, 3).Draw(t, "members")))), " ")
		}
		in, out := person.Draw(t, "in"), person.Draw(t, "out")
		if in == out {
			return rank + " adjust " + in
		}
		return rank + " adjust " + in + " -" + out
	})
	lines := rapid.SliceOfN(line, 1, 6).Draw(t, "lines")
	for i := range lines {
		lines[i] = string(rune('a'+i)) + " " + lines[i]
	}
	return strings.Join(lines, ";")
}

func TestOrderOfInputNeverMatters(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		want, err := json.Marshal(resolve.Settle(list))
		require.NoError(t, err)
		got, err := json.Marshal(resolve.Settle(rapid.Permutation(list).Draw(t, "order")))
		require.NoError(t, err)
		assert.JSONEq(t, string(want), string(got))
	})
}

func TestEveryClaimIsAccountedFor(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		claims := resolve.Claims(list)
		for _, u := range resolve.Settle(list).Units {
			asked := 0
			for _, c := range claims {
				if c.Unit != u.Unit {
					continue
				}
				asked++
				i := slices.IndexFunc(u.Over, func(l resolve.Lost) bool { return l.Assignment == c.Assignment })
				assert.NotEqual(t, slices.Contains(u.From, c.Assignment), i >= 0, "%s either decides or loses", c.Assignment)
				if i >= 0 {
					assert.True(t, u.Over[i].Value.Equal(c.Value), "what lost is what was claimed")
				}
			}
			assert.Equal(t, asked, len(u.From)+len(u.Over))
			assert.Equal(t, u.Verdict == resolve.Contested, u.Value == nil)
		}
	})
}

func TestWeakerAgreeingAssignmentChangesNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		echo := rapid.SampledFrom(list).Draw(t, "echo")
		before := resolve.Settle(list).Units
		after := resolve.Settle(append(slices.Clone(list), resolve.Applying{Name: "zz", Rank: fleet.Weakest, Policy: echo.Policy})).Units
		require.Len(t, after, len(before))
		for i := range before {
			if before[i].Value == nil || !agrees(echo, before[i]) {
				continue
			}
			assert.True(t, before[i].Value.Equal(after[i].Value), before[i].Unit.String())
		}
	})
}

// agrees reports whether what an assignment asks of a unit is what was settled.
func agrees(a resolve.Applying, u resolve.Unit) bool {
	for _, c := range resolve.Claims([]resolve.Applying{a}) {
		if s, ok := c.Value.(resolve.Statement); c.Unit == u.Unit && ok {
			m := u.Value.(resolve.Members)
			for _, ref := range s.Members {
				if !slices.Contains(m.Present, ref) {
					return false
				}
			}
			for _, ref := range s.Remove {
				if slices.Contains(m.Present, ref) {
					return false
				}
			}
		} else if c.Unit == u.Unit && !c.Value.Equal(u.Value) {
			return false
		}
	}
	return true
}

func TestClosedGroupHoldsNobodyUnasked(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		for _, u := range resolve.Settle(list).Units {
			m, ok := u.Value.(resolve.Members)
			if !ok {
				continue
			}
			for _, ref := range m.Present {
				asked := slices.ContainsFunc(resolve.Claims(list), func(c resolve.Claim) bool {
					s, ok := c.Value.(resolve.Statement)
					return ok && c.Unit == u.Unit && slices.Contains(s.Members, ref)
				})
				assert.True(t, asked, "%s was asked for", ref)
			}
			assert.False(t, m.Closed && len(m.Absent) > 0)
		}
	})
}

func BenchmarkSettle20Assignments(b *testing.B) {
	var lines []string
	for i := range 20 {
		lines = append(lines, fmt.Sprintf("a%d %d adjust p%d -q%d", i, 100+i%7, i, i%5), fmt.Sprintf("b%d %d minimum %d", i, 100+i%7, i))
	}
	list := scenario(b, strings.Join(lines, ";"))
	for b.Loop() {
		resolve.Settle(list)
	}
}
