package change_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/change"
)

func TestTouches(t *testing.T) {
	in := []assign.Assignment{{Name: "everywhere", Policy: "base"}, {Name: "desks", Policy: "desks"}}
	publish := change.Touches([]change.Step{{Kind: change.Publish, Name: "base"}}, in)
	group := change.Touches([]change.Step{{Kind: change.DropGroup, Name: "desks"}}, in)
	for of, want := range map[*change.Touched]string{
		new(change.Touches([]change.Step{{Kind: change.Withdraw, Name: "everywhere"}}, in)): "assignment everywhere",
		new(change.Touches([]change.Step{{Kind: change.Publish, Name: "base"}}, nil)):       "policy base",
		new(change.Touches([]change.Step{{Kind: change.Assign, Name: "desks"}}, in)):        "",
		&group: "",
	} {
		thing, shared := publish.Shared(*of)
		assert.Equal(t, want, thing)
		assert.Equal(t, want != "", shared)
	}
}
