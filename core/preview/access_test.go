package preview_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/principal"
)

func parsed(t *testing.T, body string) *policy.Document {
	doc, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: helpers\n"+body), nil)
	require.True(t, policy.Usable(problems), "%v", problems)
	return doc
}

func aimed(doc *policy.Document, stance assign.Stance, include ...string) plan.Inputs {
	return plan.Inputs{
		Policies:    map[string]*policy.Document{"helpers": doc},
		Assignments: []assign.Assignment{{Name: "crew", Policy: "helpers", Include: include, Rank: 10, Stance: stance}},
	}
}

// What an assignment says of a way in counts also where no device is in reach of it yet.
func TestStatements(t *testing.T) {
	admin := parsed(t, "membership:\n  - {local_group: administrators, mode: adjust, members: ['local:mechanic']}\n")
	two := parsed(t, "membership:\n  - {local_group: administrators, mode: adjust, members: ['local:mechanic', "+
		"'local:rigger']}\n")
	docker := parsed(t, "membership:\n  - {local_group: docker, custom: true, mode: adjust, members: "+
		"['local:mechanic']}\n")
	desktop := parsed(t, "membership:\n  - {local_group: remote-desktop-users, mode: adjust, members: ['local:a']}\n")
	keeper := parsed(t, "accounts:\n  - {key: keeper, name: keeper-###, local_groups: [administrators]}\n")
	nobody := parsed(t, "lockout: {threshold: 0}\n")
	some := parsed(t, "lockout: {threshold: 5, duration: 15m, window: 15m}\n")
	short := parsed(t, "passwords: {min_length: 8}\n")
	long := parsed(t, "passwords: {min_length: 12}\n")
	none := plan.Inputs{}
	gained := "administrator_gained membership.administrators local:"
	for _, c := range []struct {
		name          string
		before, after plan.Inputs
		want          []string
	}{
		{"an administrator", none, aimed(admin, assign.Enforce, "crew"), []string{gained + "mechanic"}},
		{"another privileged local group", none, aimed(docker, assign.Enforce, "crew"),
			[]string{"administrator_gained membership.docker local:mechanic"}},
		{"one that is not privileged", none, aimed(desktop, assign.Enforce, "crew"), nil},
		{"an account that is managed in one", none, aimed(keeper, assign.Enforce, "crew"),
			[]string{"administrator_gained membership.administrators account:keeper",
				"way_in_opened accounts.keeper account:keeper"}},
		{"a lockout that locks nobody", none, aimed(nobody, assign.Enforce, "crew"),
			[]string{"protection_loosened lockout "}},
		{"a trial changes nothing", none, aimed(admin, assign.Trial, "crew"), nil},
		{"the end of a trial", aimed(admin, assign.Trial, "crew"), aimed(admin, assign.Enforce, "crew"),
			[]string{gained + "mechanic"}},
		{"nothing new", aimed(admin, assign.Enforce, "crew"), aimed(admin, assign.Enforce, "crew"), nil},
		{"one more", aimed(admin, assign.Enforce, "crew"), aimed(two, assign.Enforce, "crew"),
			[]string{gained + "rigger"}},
		{"one less", aimed(two, assign.Enforce, "crew"), aimed(admin, assign.Enforce, "crew"), nil},
		{"at one group more", aimed(admin, assign.Enforce, "crew"), aimed(admin, assign.Enforce, "crew", "desks"),
			[]string{gained + "mechanic"}},
		{"at one group less", aimed(admin, assign.Enforce, "crew", "desks"), aimed(admin, assign.Enforce, "crew"), nil},
		{"a rule that is weaker than before", aimed(long, assign.Enforce, "crew"), aimed(short, assign.Enforce, "crew"),
			[]string{"protection_loosened passwords.min_length "}},
		{"a lockout that is given up", aimed(some, assign.Enforce, "crew"), aimed(nobody, assign.Enforce, "crew"),
			[]string{"protection_loosened lockout "}},
		{"nothing any more", aimed(admin, assign.Enforce, "crew"), none, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			says := preview.Statements(c.before, c.after)
			var got []string
			for _, e := range says.Effects() {
				got = append(got, fmt.Sprint(e.Access, " ", e.Unit, " ", e.Subject))
				assert.Equal(t, map[string]bool{effect.Anyone: true}, says[e])
			}
			assert.Equal(t, c.want, got)
		})
	}
}

// waysInto are the access effects on a device that reported a state, when a policy is aimed at it.
func waysInto(t *testing.T, state *drift.State, doc *policy.Document) []string {
	in := aimed(doc, assign.Enforce, assign.Everything)
	in.Devices = []fleet.Facts{{Name: "SKL-TKT-001"}}
	before := plan.Run(plan.Inputs{Devices: in.Devices}, fleet.InTurn)
	c := preview.NewComparison(before, plan.Run(in, fleet.InTurn))
	var ways []string
	preview.NewTally().Count(c, 0, preview.Device{State: state}, func(e effect.AccessEffect) {
		ways = append(ways, fmt.Sprint(e.Access, " ", e.Unit, " ", e.Subject))
	})
	slices.Sort(ways)
	return ways
}

// An account that people use is taken over by a policy that names it, unless the policy says that it was so before.
func TestAnAccountIsTakenOver(t *testing.T) {
	counter := principal.MustSID("S-1-5-21-7-8-9-1001")
	state := &drift.State{
		Platform: "windows",
		Accounts: []drift.Account{{Name: "counter", SID: counter, Enabled: true}},
		LocalGroups: []drift.LocalGroup{{LocalGroup: "administrators", SID: principal.MustSID("S-1-5-32-544"),
			Members: []drift.Member{{Name: "counter", SID: counter}}}},
	}
	account := func(rest string) *policy.Document {
		return parsed(t, "accounts:\n  - {key: keeper, "+rest+"}\n")
	}
	taken := "account_taken_over accounts.keeper account:keeper"
	assert.Equal(t, []string{taken}, waysInto(t, state, account("name: counter")))
	assert.Empty(t, waysInto(t, state, account("name: 'keeper-###', formerly: [counter]")), "it was the keeper before")
	assert.Equal(t, []string{taken}, waysInto(t, state, account("name: counter, formerly: [desk]")))
	disabled := waysInto(t, state, account("name: counter, state: disabled"))
	assert.Contains(t, disabled, "way_in_closed accounts.keeper account:keeper", "it is an administrator now")
	assert.Equal(t, []string{"administrator_gained membership.administrators account:keeper",
		"way_in_opened accounts.keeper account:keeper"},
		waysInto(t, state, account("name: 'keeper-###', local_groups: [administrators]")), "a new one")
	assert.Equal(t, []string{"administrator_gained membership.administrators account:keeper",
		"way_in_opened accounts.keeper account:keeper"},
		waysInto(t, nil, account("name: 'keeper-###', local_groups: [administrators]")),
		"and where nothing is known, what is asked counts")
}
