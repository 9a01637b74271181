package preview_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// What a device said that it could not carry out is told before it is asked, and has no effects there.
func TestAPreviewKnowsTheLimitsOfADevice(t *testing.T) {
	after := resolve.Lane{Units: []resolve.Unit{
		{Unit: unit.History, Value: unit.Int(5), Verdict: resolve.Sole, From: []string{"a"}},
		{Unit: unit.MinLength, Value: unit.Int(14), Verdict: resolve.Sole, From: []string{"a"}},
	}}
	state := &drift.State{Passwords: &drift.Passwords{MinLength: new(8), History: new(0)}}
	supported := func() (list []bool, effects int) {
		settings, found := preview.Differ(resolve.Lane{}, after, nil).Compare(preview.Device{State: state}, nil)
		require.Len(t, settings, 2)
		return []bool{settings[0].Supported, settings[1].Supported}, len(found)
	}
	list, whole := supported()
	assert.Equal(t, []bool{true, true}, list)
	state.Limits = []drift.Limit{{Setting: unit.MinLength, ReadOnly: true, Why: "lacks a module"}}
	list, fewer := supported()
	assert.Equal(t, []bool{true, false}, list)
	assert.Less(t, fewer, whole)
	state.Passwords.MinLength = new(14)
	list, _ = supported()
	assert.Equal(t, []bool{true, true}, list, "what it can read is as desired already")
}
