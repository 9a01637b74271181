package draft_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/draft"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

func sid(number, rid int) principal.SID {
	return principal.MustSID(fmt.Sprintf("S-1-5-21-7-8-%d-%d", number, rid))
}

// device is one with a built-in administrator in administrators, a keeper under policy, and whoever is named.
func device(number int, minLength, threshold int, administrators ...string) *drift.State {
	s := &drift.State{
		Passwords: &drift.Passwords{MinLength: &minLength, History: new(5), MaxAgeDays: new(90), MinAgeDays: new(1),
			Complexity: new(true)},
		Lockout: &unit.LockoutRule{Threshold: threshold, DurationMinutes: 15, WindowMinutes: 15},
		Accounts: []drift.Account{
			{Name: "quay-zero", SID: sid(number, 500), Builtin: "administrator"},
			{Name: "guest", SID: sid(number, 501), Builtin: "guest"},
			{Name: fmt.Sprintf("keeper-%04d", number), SID: sid(number, 1001), Key: "keeper", Enabled: true},
		},
	}
	members := []drift.Member{{SID: sid(number, 500)}, {SID: sid(number, 1001)}}
	for i, name := range administrators {
		s.Accounts = append(s.Accounts, drift.Account{Name: name, SID: sid(number, 1100+i), Enabled: true})
		members = append(members, drift.Member{Name: name, SID: sid(number, 1100+i)})
	}
	s.LocalGroups = []drift.LocalGroup{
		{LocalGroup: "Administratoren", SID: drift.WellKnown("administrators"), Members: members},
		{LocalGroup: "users", SID: drift.WellKnown("users"), Members: []drift.Member{{SID: sid(number, 1001)}}},
		{LocalGroup: "tide readers", SID: principal.MustSID("S-1-5-21-7-8-9-2000"), Members: members},
	}
	return s
}

func drafted(states []*drift.State, tolerance int) draft.Draft {
	t := draft.New()
	for _, s := range states {
		t.Add(s, nil)
	}
	return t.Draft("first", tolerance)
}

// settings are what a policy alone has settled for a device.
func settings(doc *policy.Document) []unit.Setting {
	return resolve.Settle([]resolve.Assignment{{Name: "first", Rank: 500, Stance: assign.Enforce,
		Policy: doc.Normalise(nil)}}, nil).Enforced.Settings()
}

func TestWhatMostDevicesHave(t *testing.T) {
	d := drafted([]*drift.State{device(1, 12, 5), device(2, 12, 5), device(3, 12, 5, "eilif"), device(4, 8, 5), nil},
		25)
	require.NotNil(t, d.Document)
	assert.Equal(t, 4, d.Devices)
	assert.Equal(t, 1, d.Silent)
	text := string(policy.Write(d.Document, nil))
	for _, line := range []string{"min_length: 12", "threshold: 5", "name: keeper-####", "mode: exact",
		"- account:keeper", "name: quay-zero", "local_group: users", "mode: adjust"} {
		assert.Contains(t, text, line)
	}
	assert.NotContains(t, text, "eilif")
	assert.NotContains(t, text, "tide readers", "what a program's own group is for is not known")
	require.Len(t, d.NotKept, 1)
	assert.Equal(t, draft.NotKept{Unit: unit.Administrators, Member: principal.MustParse("local:eilif"), Devices: 1},
		d.NotKept[0])
	_, problems := policy.Parse([]byte(text), nil)
	assert.True(t, policy.Usable(problems), "%v", problems)

	apart := drafted([]*drift.State{device(1, 12, 5, "eilif"), device(2, 12, 5, "eilif"), device(3, 12, 5)}, 5)
	assert.NotContains(t, string(policy.Write(apart.Document, nil)), "mode: exact", "two of three would lose somebody")
	assert.Empty(t, apart.NotKept)
	assert.Contains(t, apart.Unwritten[0], "an exact list of administrators")

	strict := drafted([]*drift.State{device(1, 12, 5), device(2, 8, 5)}, 5)
	assert.NotContains(t, string(policy.Write(strict.Document, nil)), "min_length", "half of them is not common")
	for _, s := range strict.Settings {
		if s.Unit == unit.MinLength {
			assert.Equal(t, [2]int{1, 1}, [2]int{s.Devices, s.Other})
			assert.False(t, s.Drafted)
		}
	}
	assert.Nil(t, drafted(nil, 5).Document)
}

// What a document may not have together stays out, though devices have it.
func TestWhatADocumentMayNotHave(t *testing.T) {
	s := device(1, 12, 5)
	s.Passwords.MinAgeDays = new(90)
	s.Lockout.WindowMinutes = 30
	d := drafted([]*drift.State{s}, 0)
	assert.Len(t, d.Unwritten, 2)
	_, problems := policy.Parse(policy.Write(d.Document, nil), nil)
	assert.True(t, policy.Usable(problems), "%v", problems)
}

// A policy drafted from devices finds nothing on those that have the common values, and is always one that can be used.
func TestDraftingAltersNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var states []*drift.State
		for i := range rapid.IntRange(1, 12).Draw(t, "devices") {
			var extra []string
			for _, name := range []string{"eilif", "support", "setup"} {
				if rapid.IntRange(0, 3).Draw(t, name) == 0 {
					extra = append(extra, name)
				}
			}
			s := device(i+1, rapid.SampledFrom([]int{8, 12, 12, 12}).Draw(t, "length"),
				rapid.SampledFrom([]int{0, 5, 5, 5}).Draw(t, "threshold"), extra...)
			s.Passwords.MinAgeDays = new(rapid.SampledFrom([]int{1, 1, 95}).Draw(t, "age"))
			states = append(states, s)
		}
		d := drafted(states, rapid.IntRange(0, 49).Draw(t, "tolerance"))
		if d.Document == nil {
			return
		}
		doc, problems := policy.Parse(policy.Write(d.Document, nil), nil)
		if !policy.Usable(problems) {
			t.Fatalf("cannot be used: %v", problems)
		}
		asked := settings(doc)
		for _, s := range states {
			for _, f := range drift.Check(asked, s, nil, drift.Context{}) {
				if has(d, s, f.Unit) {
					t.Fatalf("a device with the common value has a finding: %+v", f)
				}
			}
		}
	})
}

// has reports whether a device has the common value of a setting.
func has(d draft.Draft, s *drift.State, id unit.ID) bool {
	for _, x := range d.Settings {
		if x.Unit == id {
			return fmt.Sprint(s.Value(id)) == fmt.Sprint(x.Value)
		}
	}
	if name, is := id.LocalGroup(); is {
		group, _ := s.Group(name)
		wanted := map[string]bool{}
		for _, m := range d.Document.Membership {
			for _, ref := range m.Members {
				wanted[ref.String()] = m.LocalGroup == name || wanted[ref.String()]
			}
		}
		for _, m := range group.Members {
			delete(wanted, s.Name(m.SID, nil).String())
			for _, rare := range d.NotKept {
				if rare.Unit == id && rare.Member == s.Name(m.SID, nil) {
					return false
				}
			}
		}
		return !strings.Contains(fmt.Sprint(wanted), "true")
	}
	return true
}
