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

	"rankwarden.example/core/assign"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// anyScenario draws up to six assignments that may all meet.
func anyScenario(t *rapid.T) string {
	person := rapid.SampledFrom([]string{"x", "y", "z"})
	line := rapid.Custom(func(t *rapid.T) string {
		rank := rapid.SampledFrom([]string{"1", "2", "3"}).Draw(t, "rank")
		switch rapid.IntRange(0, 8).Draw(t, "kind") {
		case 0:
			return rank + " minimum " + strconv.Itoa(rapid.IntRange(6, 9).Draw(t, "minimum"))
		case 1:
			return rank + " lockout " + strconv.Itoa(rapid.IntRange(0, 3).Draw(t, "threshold"))
		case 2:
			return rank + " maxage " + strconv.Itoa(rapid.IntRange(0, 2).Draw(t, "age"))
		case 3:
			return rank + " exact " + strings.Join(
				slices.Compact(slices.Sorted(slices.Values(rapid.SliceOfN(person, 0, 3).Draw(t, "members")))),
				" ",
			)
		}
		if kind := rapid.IntRange(0, 4).Draw(t, "managed"); kind < 3 {
			key := rapid.SampledFrom([]string{"k", "q"}).Draw(t, "key")
			state := rapid.SampledFrom([]string{"enabled", "disabled", "absent"}).Draw(t, "state")
			name := rapid.SampledFrom([]string{"quay", "quay-#", "Quay"}).Draw(t, "name")
			return rank + [...]string{" account " + key + " " + name + " " + state + " users",
				" rotate account:" + key + " 1d 20", " builtin name " + strings.Trim(name, "-#")}[kind]
		}
		in, out := person.Draw(t, "in"), person.Draw(t, "out")
		if in == out {
			return rank + " adjust " + in
		}
		return rank + " adjust " + in + " -" + out
	})
	lines := rapid.SliceOfN(line, 1, 6).Draw(t, "lines")
	for i := range lines {
		lines[i] = string(rune('a'+i)) + rapid.SampledFrom([]string{"", "?"}).Draw(t, "stance") + " " + lines[i]
	}
	return strings.Join(lines, ";")
}

func TestOrderOfInputNeverMatters(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		want, err := json.Marshal(resolve.Settle(list, nil))
		require.NoError(t, err)
		got, err := json.Marshal(resolve.Settle(rapid.Permutation(list).Draw(t, "order"), nil))
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got), "byte for byte")
	})
}

func TestTrialNeverChangesTheEnforcedLane(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		var enforced []resolve.Assignment
		for _, a := range list {
			if a.Stance == assign.Enforce {
				enforced = append(enforced, a)
			}
		}
		all, alone := resolve.Settle(list, nil), resolve.Settle(enforced, nil)
		assert.Equal(t, alone.Enforced, all.Enforced)
		assert.Equal(t, len(enforced) < len(list), all.Projected != nil)
		for i := range list {
			list[i].Stance = assign.Enforce
		}
		if all.Projected != nil {
			assert.Equal(t, resolve.Settle(list, nil).Enforced.Units, all.Projected.Units, "as if all were enforced")
		}
	})
}

// lanes are both lanes of a resolution with the assignments each was settled from.
func lanes(list []resolve.Assignment) (all []resolve.Lane, from [][]resolve.Assignment) {
	r := resolve.Settle(list, nil)
	var enforced []resolve.Assignment
	for _, a := range list {
		if a.Stance == assign.Enforce {
			enforced = append(enforced, a)
		}
	}
	all, from = []resolve.Lane{r.Enforced}, [][]resolve.Assignment{enforced}
	if r.Projected != nil {
		all, from = append(all, *r.Projected), append(from, list)
	}
	return all, from
}

func TestEveryClaimIsAccountedFor(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		settled, from := lanes(scenario(t, anyScenario(t)))
		for i, lane := range settled {
			for _, u := range lane.Units {
				asked := 0
				for _, a := range from[i] {
					value, asks := ask(a, u.Unit)
					if !asks {
						continue
					}
					asked++
					at := slices.IndexFunc(u.Over, func(l resolve.LosingClaim) bool { return l.Assignment == a.Name })
					assert.NotEqual(t, slices.Contains(u.From, a.Name), at >= 0, "%s either decides or loses", a.Name)
					if at >= 0 {
						assert.True(t, u.Over[at].Value.Equal(value), "what lost is what was claimed")
					}
				}
				assert.Equal(t, asked, len(u.From)+len(u.Over))
				assert.Equal(t, u.Verdict == resolve.Contested, u.Value == nil)
			}
		}
	})
}

// ask is what an assignment asks of a unit.
func ask(a resolve.Assignment, id unit.ID) (unit.Value, bool) {
	for _, ask := range a.Policy.Asks {
		if ask.Unit == id {
			return ask.Value, true
		}
	}
	return nil, false
}

func TestWeakerAgreeingAssignmentChangesNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := scenario(t, anyScenario(t))
		echo := rapid.SampledFrom(list).Draw(t, "echo")
		before := resolve.Settle(list, nil)
		weaker := resolve.Assignment{Name: "zz", Rank: assign.Weakest, Stance: echo.Stance, Policy: echo.Policy}
		after := resolve.Settle(append(slices.Clone(list), weaker), nil)
		compare := func(before, after resolve.Lane) {
			for i, u := range before.Units {
				if u.Value != nil && agrees(echo, u) {
					assert.True(t, u.Value.Equal(after.Units[i].Value), u.Unit.String())
				}
			}
		}
		compare(before.Enforced, after.Enforced)
		if before.Projected != nil {
			compare(*before.Projected, *after.Projected)
		}
	})
}

// agrees reports whether what an assignment asks of a unit is what was settled.
func agrees(a resolve.Assignment, u resolve.Unit) bool {
	value, asks := ask(a, u.Unit)
	s, isGroup := value.(unit.Statement)
	if !asks || !isGroup {
		return !asks || value.Equal(u.Value)
	}
	m := u.Value.(unit.Members)
	return !slices.ContainsFunc(s.Members, func(ref principal.Ref) bool { return !m.Has(ref) }) &&
		!slices.ContainsFunc(s.Remove, m.Has)
}

func TestClosedGroupHoldsNobodyUnasked(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		settled, from := lanes(scenario(t, anyScenario(t)))
		for i, lane := range settled {
			for _, u := range lane.Units {
				m, ok := u.Value.(unit.Members)
				if !ok {
					continue
				}
				for _, ref := range m.Present {
					asked := slices.ContainsFunc(from[i], func(a resolve.Assignment) bool {
						value, _ := ask(a, u.Unit)
						s, ok := value.(unit.Statement)
						return ok && slices.Contains(s.Members, ref)
					})
					assert.True(t, asked, "%s was asked for", ref)
				}
				assert.False(t, m.Closed && len(m.Absent) > 0)
			}
		}
	})
}

// Whatever is held, a device is never told a value that nobody settled or that it was not told before.
func TestComposeInventsNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before, _ := resolve.Compose(resolve.Settle(scenario(t, anyScenario(t)), nil).Enforced, nil)
		lane := resolve.Settle(scenario(t, anyScenario(t)), nil).Enforced
		settings, held := resolve.Compose(lane, before)
		for _, s := range settings {
			source := lane.Settings()
			if slices.ContainsFunc(held, func(h resolve.HeldUnit) bool { return h.Unit == s.Unit }) {
				source = before
			}
			at := slices.IndexFunc(source, func(x unit.Setting) bool { return x.Unit == s.Unit })
			require.GreaterOrEqual(t, at, 0, s.Unit.String())
			assert.True(t, s.Value.Equal(source[at].Value), s.Unit.String())
		}
		data, err := json.Marshal(settings)
		require.NoError(t, err)
		var again []unit.Setting
		require.NoError(t, json.Unmarshal(data, &again))
		assert.Equal(t, settings, again, "settings survive being written")
	})
}

func BenchmarkSettle20Assignments(b *testing.B) {
	var lines []string
	for i := range 20 {
		lines = append(
			lines,
			fmt.Sprintf("a%d %d adjust p%d -q%d", i, 100+i%7, i, i%5),
			fmt.Sprintf("b%d %d minimum %d", i, 100+i%7, i),
		)
	}
	list := scenario(b, strings.Join(lines, ";"))
	for b.Loop() {
		resolve.Settle(list, nil)
	}
}
