package policy_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
)

// members is a document with statements on local groups of so many members each.
func members(each ...int) []byte {
	var b strings.Builder
	b.WriteString("format: rankwarden.policy/1\nname: many\nmembership:\n")
	for i, n := range each {
		fmt.Fprintf(&b, "  - {local_group: crew-%d, custom: true, mode: adjust, members: [", i)
		for j := range n {
			fmt.Fprintf(&b, "'local:u%d-%d',", i, j)
		}
		b.WriteString("]}\n")
	}
	return []byte(b.String())
}

// A document names a bounded number of principals, and says which list has too many.
func TestBoundsOfMembers(t *testing.T) {
	for name, c := range map[string]struct {
		each []int
		says string
	}{
		"the most of one list":     {[]int{policy.MaxMembers}, ""},
		"one more":                 {[]int{policy.MaxMembers + 1}, "1001 principals are too many for one list"},
		"the most of all lists":    {[]int{1000, 1000, 1000, 1000, 1000}, ""},
		"one more in another list": {[]int{1000, 1000, 1000, 1000, 1000, 1}, "more than 5000 principals"},
	} {
		t.Run(name, func(t *testing.T) {
			asked := 0
			_, problems, err := policy.ParseWith(members(c.each...),
				func(named []principal.Ref) (principal.Directory, error) {
					asked = len(named)
					return nil, nil
				})
			require.NoError(t, err)
			if c.says == "" {
				assert.True(t, policy.Usable(problems), problems)
				return
			}
			require.False(t, policy.Usable(problems))
			assert.Contains(t, fmt.Sprint(problems), c.says)
			assert.LessOrEqual(t, asked, policy.MaxNamed)
		})
	}
}

// A name that means a known local group is no group of one's own, in whatever language.
func TestACustomGroupIsNoKnownOne(t *testing.T) {
	for _, name := range []string{"Administratoren", "sudo", "S-1-5-32-544", "Администраторы",
		"Hyper-V Administrators"} {
		for _, custom := range []string{"true", "false"} {
			_, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: x\nmembership:\n  - {local_group: '"+
				name+
				"', custom: "+custom+", mode: adjust, members: ['local:crew']}\n"), nil)
			require.False(t, policy.Usable(problems), name)
			assert.Contains(t, fmt.Sprint(problems), "which every device understands", name)
		}
	}
	_, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: x\nmembership:\n  - {local_group: docker, "+
		"custom: true, mode: adjust, members: ['local:crew']}\n"), nil)
	assert.True(t, policy.Usable(problems), problems)
}

// A managed account has no name that devices have for something else, and a built-in account may have its own back.
func TestReservedNamesOfAccounts(t *testing.T) {
	for name, want := range map[string]string{
		"Administrateur": "builtins.administrator", "CON": "belongs to the operating system",
		"Remote Desktop Users": "is a local group", "keeper-##": "",
	} {
		_, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: x\naccounts: [{key: k, name: '"+name+
			"'}]\n"),
			nil)
		assert.Equal(t, want == "", policy.Usable(problems), name)
		assert.Contains(t, fmt.Sprint(problems), want, name)
	}
	_, problems := policy.Parse([]byte("format: rankwarden.policy/1\nname: x\nbuiltins: {administrator: {name: "+
		"Administrator}}\n"), nil)
	assert.True(t, policy.Usable(problems), problems)
}
