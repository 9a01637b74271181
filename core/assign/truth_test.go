package assign

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// A device is meant when it is in an include group, in no exclude group, and in every within group. What is not known
// decides nothing, unless something else decides it alone.
func TestDecide(t *testing.T) {
	for _, c := range []struct {
		include, exclude, within Truth
		want                     Outcome
		listed                   bool
	}{
		{Yes, No, Yes, Included, true},
		{No, No, Yes, "", false},
		{No, Yes, No, "", false},
		{Yes, Yes, Yes, Excluded, true},
		{Unknown, Yes, Yes, Excluded, true},
		{Yes, Yes, No, Excluded, true},
		{Yes, No, No, Outside, true},
		{Unknown, No, No, Outside, true},
		{Yes, Unknown, No, Outside, true},
		{Yes, No, Unknown, Undecided, true},
		{Yes, Unknown, Yes, Undecided, true},
		{Unknown, No, Yes, Undecided, true},
	} {
		in := map[string]Truth{"in": c.include, "ex": c.exclude, "within": c.within}
		a := Assignment{Include: []string{"in"}, Exclude: []string{"ex"}, Within: []string{"within"}}
		got, listed := a.Decide(func(g string) Truth { return in[g] })
		assert.Equal(t, c.want, got, "%v", c)
		assert.Equal(t, c.listed, listed, "%v", c)
	}
	open := Assignment{Include: []string{"in", "other"}}
	got, _ := open.Decide(func(g string) Truth { return map[string]Truth{"other": Yes}[g] })
	assert.Equal(t, Included, got, "one include group is enough, and nobody need be within none")
}
