package whatif_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/whatif"
)

func inputs(t *testing.T) plan.Inputs {
	parse := func(name, body string) *policy.Document {
		doc, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: "+name+"\n"+body), nil)
		require.True(t, policy.Usable(problems), "%v", problems)
		return doc
	}
	rule, err := fleet.ParseRule(`device.path.startsWith("north/")`)
	require.NoError(t, err)
	return plan.Inputs{
		Devices: []fleet.Facts{{Name: "SKL-WKS-001", Path: "south/quay"}},
		Groups:  []fleet.Group{{Name: "north", Rule: rule}, {Name: "old", Devices: []int{0}}},
		Policies: map[string]*policy.Document{
			"base": parse("base", "lockout: {threshold: 8}\n"),
			"north": parse("north", `accounts: [{key: mooring, name: mooring-##, local_groups: [administrators]}]
rotation: [{target: account:mooring}]
membership: [{local_group: administrators, mode: adjust, members: ["user:odd@skerryline.example"]}]
`),
			"old": parse("old", "lockout: {threshold: 3}\n"),
		},
		Assignments: []assign.Assignment{
			{Name: "north", Policy: "north", Include: []string{"north"}, Rank: 100, Stance: assign.Enforce},
			{Name: "old", Policy: "old", Include: []string{"old"}, Rank: 200, Stance: assign.Enforce},
			{Name: "base", Policy: "base", Include: []string{"everything"}, Rank: 900, Stance: assign.Enforce},
		},
		Directory: principal.NewTable([]principal.Entry{{Ref: principal.MustParse("user:odd@skerryline.example"),
			SID: principal.MustSID("S-1-5-21-1-2-3-1104")}}),
	}
}

// Devices that come are told what rules over their facts say; nobody lists them yet.
func TestDevicesThatCome(t *testing.T) {
	arrivals := whatif.Arrive(inputs(t), []fleet.Facts{{Name: "NEW-1", Path: "north/desk"}, {Name: "NEW-2"},
		{Name: "NEW-3", Path: "north/hall"}}, fleet.InTurn)
	require.Len(t, arrivals, 2)
	assert.Equal(t, []string{"NEW-1", "NEW-3"}, arrivals[0].Devices)
	assert.Equal(t, []string{"north"}, arrivals[0].Groups)
	assert.Equal(t, []string{"north", "base"}, arrivals[0].Assignments)
	assert.True(t, arrivals[0].WayIn)
	assert.Equal(t, []string{"NEW-2"}, arrivals[1].Devices)
	assert.Equal(t, []string{"base"}, arrivals[1].Assignments)
	assert.False(t, arrivals[1].WayIn)
}

// Other facts and people who left alter the inputs of a plan, and not those that were given.
func TestWith(t *testing.T) {
	in := inputs(t)
	odd := principal.MustParse("user:odd@skerryline.example")
	after := whatif.With(in, map[int]fleet.Facts{0: {Name: "SKL-WKS-001", Path: "north/quay"}}, []principal.Ref{odd})
	assert.Equal(t, "south/quay", in.Devices[0].Path)
	applying := func(in plan.Inputs) (names []string) {
		for _, c := range plan.Run(in, fleet.InTurn).Candidates(0) {
			if c.Outcome == assign.Included {
				names = append(names, c.Name)
			}
		}
		return names
	}
	assert.Equal(t, []string{"old", "base"}, applying(in))
	assert.Equal(t, []string{"north", "old", "base"}, applying(after))
	_, known := after.Directory.SID(odd)
	assert.False(t, known)
	_, known = in.Directory.SID(odd)
	assert.True(t, known)
	assert.Equal(t, []string{"north"}, whatif.Naming(in.Policies, odd))
}
