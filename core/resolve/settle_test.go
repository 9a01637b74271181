package resolve_test

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// Scenarios are written as in "a 100 minimum 12; b? 500 minimum 8": an assignment, which is a trial
// when ? follows, its rank, and what it asks of one unit. Members are single words, which stand for
// local accounts, or whole references.
func scenario(t require.TestingT, text string) []resolve.Assignment {
	var list []resolve.Assignment
	for _, line := range strings.Split(text, ";") {
		words := strings.Fields(line)
		rank, err := strconv.Atoi(words[1])
		require.NoError(t, err)
		name, trial := strings.CutSuffix(words[0], "?")
		a := resolve.Assignment{
			Name:   name,
			Rank:   assign.Rank(rank),
			Stance: assign.Enforce,
			Policy: asking(t, words[2:]),
		}
		if trial {
			a.Stance = assign.Trial
		}
		list = append(list, a)
	}
	return list
}

// settle is the enforced lane of a scenario.
func settle(t require.TestingT, text string) resolve.Lane {
	return resolve.Settle(scenario(t, text), nil).Enforced
}

func asking(t require.TestingT, words []string) *policy.Normal {
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
			} else if strings.Contains(w, ":") {
				in = append(in, w)
			} else {
				in = append(in, "local:"+w)
			}
		}
		body = fmt.Sprintf(
			"membership: [{local_group: users, mode: %s, members: [%s], remove: [%s]}]",
			words[0],
			strings.Join(in, ", "),
			strings.Join(out, ", "),
		)
	case "account":
		body = fmt.Sprintf(
			"accounts: [{key: %s, name: %s, state: %s, local_groups: [%s]}]",
			words[1],
			words[2],
			words[3],
			strings.Join(words[4:], ", "),
		)
	case "rotate":
		body = fmt.Sprintf(
			"rotation: [{target: %q, every: %s, secret: {length: %s, use: [lower, upper]}}]",
			words[1],
			words[2],
			words[3],
		)
	case "builtin":
		body = fmt.Sprintf("builtins: {administrator: {%s: %s}}", words[1], words[2])
	case "admins":
		body = fmt.Sprintf(
			"membership: [{local_group: administrators, mode: exact, members: [%s]}]",
			strings.Join(words[1:], ", "),
		)
	}
	doc, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: p\n"+body), nil)
	require.True(t, policy.Usable(problems), "%s: %v", body, problems)
	return doc.Normalise(nil)
}

// outcome writes a settled unit as in "ranked 12 | a | b outranked".
func outcome(u resolve.Unit) string {
	value, _ := json.Marshal(u.Value)
	if m, ok := u.Value.(unit.Members); ok {
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
		"a 100 minimum 12":                                    "sole 12 | a | ",
		"a 100 minimum 12; b 500 minimum 12":                  "agreed 12 | a | b same",
		"a 500 minimum 8; b 100 minimum 12":                   "ranked 12 | b | a outranked",
		"a 100 minimum 8; b 100 minimum 12":                   "stricter 12 | b | a less_strict",
		"a 100 minimum 8; b 100 minimum 12; c 9 minimum 3":    "ranked 3 | c | a outranked, b outranked",
		"a 100 minimum 8; b 100 minimum 12; c 200 minimum 12": "stricter 12 | b | a less_strict, c same",
		"a 100 maxage 0; b 100 maxage 90; c 100 maxage " +
			"30": "stricter 30 | c | a less_strict, b less_strict",
		"a 100 complex false; b 100 complex true": "stricter true | b | a less_strict",
		"a 100 lockout 0; b 100 lockout " +
			"10": `stricter {"threshold":10,"duration_minutes":15,"window_minutes":15} | b | a less_strict`,
		"a 100 lockout 5 15m 15m; b 100 lockout 5 0m " +
			"15m": `stricter {"threshold":5,"duration_minutes":0,"window_minutes":15} | b | a less_strict`,
		"a 100 lockout 5 30m 15m; b 100 lockout 5 30m " +
			"20m": `stricter {"threshold":5,"duration_minutes":30,"window_minutes":20} | b | a less_strict`,
		"a 100 builtin enabled true; b 100 builtin enabled false": "stricter false | b | a less_strict",
		"a 100 builtin name x; b 100 builtin name X": "contested null |  | a contested, b " +
			"contested",
		"a 100 builtin name x; b 100 builtin name y; c 9 builtin name z": `ranked "z" | c | a outranked, b outranked`,
		"a 100 exact x y; b 500 adjust z":                                "merged closed x y | a | b closed",
		"a 100 exact x y; b 100 adjust -y":                               "merged closed x | a b | ",
		"a 100 exact x y; b 100 adjust z":                                "merged closed x y | a | b closed",
		"a 100 exact x; b 50 adjust z -x":                                "merged closed z | b a | ",
		"a 100 exact x; b 100 exact y; c 200 adjust z": "contested null |  | a contested, b " +
			"contested, c closed",
		"a 100 exact x; b 100 exact x; c 500 exact q":                 "merged closed x | a b | c closed",
		"a 100 adjust x; b 500 adjust y":                              "merged open x y | a b | ",
		"a 100 adjust x; b 500 adjust x":                              "merged open x | a | b same",
		"a 100 adjust -x; b 500 adjust x":                             "merged open -x | a | b outranked",
		"a 100 adjust -x; b 100 adjust x":                             "merged open -x | a | b less_strict",
		"a 100 adjust x -y; b 500 adjust y; c 100 adjust -x z":        "merged open z -x -y | a c | b outranked",
		"a 10 adjust x; b 100 exact q; c 100 adjust q; d 1 adjust -x": "merged closed q | d b c | a outranked",
	} {
		t.Run(text, func(t *testing.T) {
			lane := settle(t, text)
			require.Len(t, lane.Units, 1)
			assert.Equal(t, want, outcome(lane.Units[0]))
		})
	}
}

func TestProblemsOfTheWhole(t *testing.T) {
	const keeper = "k 1 account keeper keeper-## enabled administrators; r 1 rotate account:keeper 30d 24;"
	for text, want := range map[string]string{
		"a 1 admins":                      "no_admin_path(membership.administrators), no_break_glass()",
		"a 1 admins builtin:guest":        "no_admin_path(membership.administrators), no_break_glass()",
		"a 1 admins local:k":              "no_break_glass()",
		"a 1 admins user:x@y.example":     "no_break_glass()",
		"a 1 admins sid:S-1-5-21-1-2-3-4": "no_break_glass()",
		"a 1 admins account:keeper": "member_undeclared(), " +
			"no_admin_path(membership.administrators), no_break_glass()",
		keeper + "a 1 admins account:keeper":                               "",
		keeper + "a 1 admins local:k":                                      "account_outside_group(), no_break_glass()",
		keeper + "a 1 admins account:keeper; l 1 lockout 5 0m 15m":         "lockout_can_seal_device()",
		keeper + "a 1 admins account:keeper local:x; l 1 lockout 5 0m 15m": "",
		"k 1 account keeper keeper disabled; a 1 admins account:keeper; r 1 rotate account:keeper 30d 24; b 1 " +
			"builtin name x": "no_admin_path(accounts.keeper builtins.administrator.name membership.administrators " +
			"rotation.account:keeper), no_break_glass(), rotation_target_disabled()",
		"k 1 account keeper keeper enabled; a 1 admins account:keeper " +
			"sid:S-1-5-21-1-2-3-4": "account_without_rotation(), no_break_glass()",
		"k 1 account keeper keeper absent; a 1 adjust " +
			"account:keeper": "member_of_absent_account()",
		"r 1 rotate builtin:administrator 30d 24; b 1 builtin enabled true; a 1 " +
			"admins": "",
		"r 1 rotate builtin:administrator 30d 24; b 1 builtin enabled " +
			"false": "rotation_target_disabled()",
		"r 1 rotate account:keeper 30d " +
			"24": "rotation_target_undeclared(rotation.account:keeper)",
		"k 1 account keeper keeper absent; r 1 rotate account:keeper 30d " +
			"24": "rotation_target_absent(rotation.account:keeper)",
		keeper + "m 1 minimum 25":   "rotation_secret_too_short(rotation.account:keeper)",
		keeper + "m 1 minimum 24":   "",
		keeper + "m 1 complex true": "rotation_secret_too_plain(rotation.account:keeper)",
		keeper + "m 1 maxage 29":    "rotation_slower_than_max_age()",
		keeper + "m 1 maxage 30":    "",
		"a 1 account x Quay enabled; b 1 account y quay disabled; c 1 builtin name " +
			"QUAY": "name_clash(accounts.x accounts.y), name_clash(accounts.x builtins.administrator.name), " +
			"name_clash(accounts.y builtins.administrator.name)",
		"a 1 account x quay enabled; b 1 account y quay absent; c 1 account z quay-## enabled; d 1 account w quay-## " +
			"enabled": "",
		"a 1 minage 30; b 2 maxage 30": "min_age_not_below_max_age(passwords.max_age_days passwords.min_age_days)",
		"a 1 minage 29; b 2 maxage 30": "",
		"a 1 minage 29; b 2 maxage 0":  "",
		"a 1 exact":                    "",
	} {
		var got []string
		for _, p := range settle(t, text).Problems {
			var holds []string
			for _, u := range p.Holds.Units {
				holds = append(holds, u.String())
			}
			got = append(got, fmt.Sprintf("%s(%s)", p.Code, strings.Join(holds, " ")))
		}
		assert.Equal(t, want, strings.Join(got, ", "), text)
	}
}

// An assignment that nobody can decide about holds everything, but a trial one only warns.
func TestUndecided(t *testing.T) {
	list := scenario(t, "a 1 minimum 8; b 1 minimum 9; c? 1 minimum 10; d? 1 minimum 11")
	r := resolve.Settle(list[:1], list[1:2])
	require.Len(t, r.Enforced.Problems, 1)
	assert.True(t, r.Enforced.Problems[0].Holds.All)
	assert.Nil(t, r.Projected)
	told := []unit.Setting{{Unit: unit.History, Value: unit.Int(3)}}
	settings, held := resolve.Compose(r.Enforced, told)
	assert.Equal(t, told, settings, "the device keeps all it was told, also what nobody asks for now")
	assert.Len(t, held, 2)

	r = resolve.Settle([]resolve.Assignment{list[0], list[2]}, []resolve.Assignment{list[1], list[3]})
	require.Len(t, r.Projected.Problems, 2)
	assert.Empty(t, r.Projected.Problems[0].Holds, "nothing is held in the projected lane")
	assert.Equal(
		t,
		[]policy.Severity{policy.Error, policy.Warning},
		[]policy.Severity{r.Projected.Problems[0].Severity, r.Projected.Problems[1].Severity},
	)
	assert.Len(t, r.Enforced.Problems, 1)
}

func TestComposeKeepsWhatIsHeld(t *testing.T) {
	before, held := resolve.Compose(settle(t, "a 100 exact x; b 1 minimum 8"), nil)
	require.Empty(t, held)
	contested := settle(t, "a 100 exact x; c 100 exact y; b 1 minimum 9")

	after, held := resolve.Compose(contested, before)
	assert.Equal(t, []resolve.HeldUnit{{Unit: unit.MembershipOf("users"), Why: "contested"}}, held)
	assert.Equal(t, before[0], after[0], "the group keeps what it had")
	assert.Equal(t, unit.Int(9), after[1].Value, "all else goes out")

	after, _ = resolve.Compose(contested, nil)
	require.Len(t, after, 1, "what never had a value is left out")

	ages := settle(t, "a 1 minage 30; b 2 maxage 30")
	after, held = resolve.Compose(ages, []unit.Setting{{Unit: unit.MaxAgeDays, Value: unit.Int(90)}})
	assert.Equal(t, []unit.Setting{{Unit: unit.MaxAgeDays, Value: unit.Int(90)}}, after)
	assert.Len(t, held, 2)

	data, err := json.Marshal(before)
	require.NoError(t, err)
	var read []unit.Setting
	require.NoError(t, json.Unmarshal(data, &read))
	assert.Equal(t, before, read, "settings survive being written")
}
