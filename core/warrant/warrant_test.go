package warrant

import (
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

var noon = time.Date(2031, 3, 4, 12, 0, 0, 0, time.UTC)

// refs are principals by the letters of a text: a is local:a.
func refs(letters string) []principal.Ref {
	list := []principal.Ref{}
	for _, letter := range letters {
		list = append(list, principal.FromLocal(string(letter)))
	}
	return list
}

// written is a settled local group in a short form: "=ab" is closed with a and b, "+ab -c" is open, "" is nothing.
func written(v unit.Value) string {
	m, is := v.(unit.Members)
	if !is {
		return ""
	}
	letters := func(list []principal.Ref) (text string) {
		for _, ref := range list {
			text += ref.Value()
		}
		return text
	}
	if m.Closed {
		return "=" + letters(m.Present)
	}
	return strings.TrimSuffix("+"+letters(m.Present)+" -"+letters(m.Absent), " -")
}

func read(text string) unit.Value {
	if text == "" {
		return nil
	}
	present, absent, _ := strings.Cut(text[1:], " -")
	return unit.Members{Closed: text[0] == '=', Present: refs(present), Absent: refs(absent)}
}

// held is who has a warrant for administrators, with a capital where it is despite.
func held(letters string) (running Running) {
	var list []Warrant
	for _, letter := range letters {
		name := strings.ToLower(string(letter))
		list = append(list, Warrant{Unit: unit.Administrators, Principal: principal.FromLocal(name),
			Until: noon, Despite: name != string(letter)})
	}
	return At(list, noon.Add(-time.Hour))
}

func TestLay(t *testing.T) {
	for _, c := range []struct {
		settled, warrants, laid string
		effects                 []Effect
	}{
		{"=ab", "c", "=abc", []Effect{Added}},
		{"=bd", "ca", "=abcd", []Effect{Added, Added}},
		{"=ab", "a", "=ab", []Effect{Already}},
		{"=", "a", "=a", []Effect{Added}},
		{"+a -c", "b", "+ab -c", []Effect{Added}},
		{"+a -c", "c", "+a -c", []Effect{Overruled}},
		{"+a -bc", "C", "+ac -b", []Effect{Added}},
		{"+ -c", "C", "+c", []Effect{Added}},
		{"", "a", "+a", []Effect{Added}},
		{"", "", "", nil},
		{"+a", "", "+a", nil},
	} {
		running, settled := held(c.warrants), read(c.settled)
		before := written(settled)
		assert.Equal(t, c.laid, written(running.Lay(unit.Administrators, settled)), "%+v", c)
		assert.Equal(t, before, written(settled), "what was given stays as it was")
		var effects []Effect
		for _, h := range running {
			effects = append(effects, h.On(settled))
		}
		assert.Equal(t, c.effects, effects, "%+v", c)
	}
}

func TestAt(t *testing.T) {
	of := func(from, until int, despite bool) Warrant {
		return Warrant{Unit: unit.Administrators, Principal: principal.FromLocal("a"),
			From: noon.Add(time.Duration(from) * time.Hour), Until: noon.Add(time.Duration(until) * time.Hour),
			Despite: despite}
	}
	for _, c := range []struct {
		list    []Warrant
		of      int // -1: none runs
		despite bool
	}{
		{[]Warrant{of(0, 1, false)}, 0, false}, // it begins at its beginning
		{[]Warrant{of(-1, 0, false)}, -1, false},
		{[]Warrant{of(1, 2, true)}, -1, false},
		{[]Warrant{of(-1, 1, true), of(-1, 2, false), of(-1, 2, false)}, 1, true},
		{[]Warrant{of(-1, 3, false), of(-1, 2, true)}, 0, true},
		{[]Warrant{of(-1, 3, false), of(1, 9, true)}, 0, false}, // what does not run yet does not count
	} {
		running := At(c.list, noon)
		if c.of < 0 {
			assert.Empty(t, running)
			continue
		}
		if assert.Len(t, running, 1) {
			assert.Equal(t, c.of, running[0].Of)
			assert.Equal(t, c.despite, running[0].Despite)
			assert.Equal(t, c.list[c.of].Until, running[0].Until)
		}
	}
}

// With one warrant exactly its principal differs, in its local group, within its time; without one nothing does.
func TestExactlyItsPrincipalDiffers(t *testing.T) {
	letters := rapid.SliceOfDistinct(rapid.SampledFrom(strings.Split("abcdef", "")), rapid.ID[string])
	rapid.Check(t, func(t *rapid.T) {
		var settings []unit.Setting
		for _, group := range []string{"administrators", "remote-desktop-users", "users"} {
			closed := rapid.Bool().Draw(t, "closed")
			present, absent := letters.Draw(t, "present"), letters.Draw(t, "absent")
			absent = slices.DeleteFunc(absent, func(l string) bool { return closed || slices.Contains(present, l) })
			if rapid.Bool().Draw(t, "settled") {
				slices.Sort(present)
				slices.Sort(absent)
				settings = append(settings, unit.Setting{Unit: unit.MembershipOf(group), Value: unit.Members{
					Closed:  closed,
					Present: refs(strings.Join(present, "")), Absent: refs(strings.Join(absent, ""))}})
			}
		}
		w := Warrant{Unit: unit.MembershipOf(rapid.SampledFrom([]string{"administrators", "users"}).Draw(t, "group")),
			Principal: principal.FromLocal(rapid.SampledFrom(strings.Split("abcdefg", "")).Draw(t, "who")),
			From:      noon, Until: noon.Add(time.Hour), Despite: rapid.Bool().Draw(t, "despite")}
		at := noon.Add(time.Duration(rapid.IntRange(-30, 90).Draw(t, "minute")) * time.Minute)
		laid := At([]Warrant{w}, at).Over(settings, nil)
		if !w.Runs(at) {
			assert.Equal(t, settings, laid)
			return
		}
		find := func(list []unit.Setting, id unit.ID) (m unit.Members) {
			for _, s := range list {
				if s.Unit == id {
					m = s.Value.(unit.Members)
				}
			}
			return m
		}
		for _, group := range []string{"administrators", "remote-desktop-users", "users"} {
			id := unit.MembershipOf(group)
			before, after := find(settings, id), find(laid, id)
			assert.Equal(t, before.Closed, after.Closed)
			without := func(list []principal.Ref) []principal.Ref {
				return slices.DeleteFunc(slices.Clone(list), func(ref principal.Ref) bool {
					return id == w.Unit && ref == w.Principal
				})
			}
			assert.ElementsMatch(t, without(before.Present), without(after.Present))
			assert.ElementsMatch(t, without(before.Absent), without(after.Absent))
			assert.True(t, slices.IsSortedFunc(after.Present, principal.Compare))
			if id == w.Unit && (w.Despite || !slices.Contains(before.Absent, w.Principal)) {
				assert.True(t, after.Has(w.Principal))
			}
		}
	})
}

// Of a contested unit nothing is known, so no warrant is laid over it.
func TestContestedUnitsStay(t *testing.T) {
	contested := func(id unit.ID) bool { return id == unit.Administrators }
	assert.Empty(t, held("a").Over(nil, contested))
}
