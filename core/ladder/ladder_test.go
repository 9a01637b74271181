package ladder_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/ladder"
	"rankwarden.example/core/scenario"
)

const organisation = `
format: rankwarden.scenario/1
groups: [{name: desks, devices: [SKL-TKT-001, SKL-TKT-002]}, {name: newer, rule: device.os_build > 1}]
policies:
  - {format: rankwarden.policy/1, name: base, passwords: {min_length: 8, history: 3}, builtins: {guest: {name: visitor}}}
  - {format: rankwarden.policy/1, name: desk, passwords: {min_length: 12, history: 3}, builtins: {guest: {name: lamp}}}
  - {format: rankwarden.policy/1, name: other, passwords: {min_length: 10}, builtins: {guest: {name: buoy}}}
  - {format: rankwarden.policy/1, name: tried, lockout: {threshold: 3}}
assignments:
  - {name: tried, policy: tried, include: [everything], rank: 10, stance: trial}
  - {name: desk, policy: desk, include: [desks], rank: 200}
  - {name: other, policy: other, include: [desks], rank: 200}
  - {name: base, policy: base, include: [everything], rank: 500}
devices: [{name: SKL-HQ-001}, {name: SKL-TKT-001}, {name: SKL-TKT-002}]
`

// drawn is a way as a line a rung, with the state of each of its cells, and the settled row.
func drawn(w ladder.Way) string {
	out := fmt.Sprintln(len(w.Devices))
	for _, r := range w.Rungs {
		out += fmt.Sprintf("%d %s:", r.Rank, r.Name)
		for _, c := range r.Cells {
			out += fmt.Sprintf(" %s=%v %s", c.Unit, c.Value, strings.TrimSpace(string(c.State)+" "+string(c.Why)))
		}
		out += "\n"
	}
	for _, s := range w.Settled {
		out += fmt.Sprintf("%s=%v %v; ", s.Unit.Unit, s.Value, s.Held != nil)
	}
	return out
}

func TestWaysOfAFleetOfAGroupAndOfADevice(t *testing.T) {
	s, err := scenario.Read([]byte(organisation), nil)
	require.NoError(t, err)
	p := s.Settle(fleet.InTurn).Plan
	ways := ladder.Ways(p, func(int) bool { return true })
	require.Len(t, ways, 2)
	assert.Equal(t, `2
10 tried: lockout={3 15 15} trial
200 desk: builtins.guest.name=lamp contested passwords.history=3 decides passwords.min_length=12 decides
200 other: builtins.guest.name=buoy contested passwords.min_length=10 loses less_strict
500 base: builtins.guest.name=visitor loses outranked passwords.history=3 agrees passwords.min_length=8 loses outranked
builtins.guest.name=<nil> true; passwords.history=3 false; passwords.min_length=12 false; `, drawn(ways[0]))
	assert.Equal(t, `1
10 tried: lockout={3 15 15} trial
500 base: builtins.guest.name=visitor decides passwords.history=3 decides passwords.min_length=8 decides
builtins.guest.name=visitor false; passwords.history=3 false; passwords.min_length=8 false; `, drawn(ways[1]))
	assert.Equal(t, ways[:1], ladder.Ways(p, ladder.InGroup(p, "desks")))
	assert.Empty(t, ladder.Ways(p, ladder.InGroup(p, "newer")), "nobody is certainly in it")
	one := ladder.Ways(p, ladder.Only(p.Devices, "SKL-TKT-002"))
	require.Len(t, one, 1)
	assert.Equal(t, []int{2}, one[0].Devices)
}
