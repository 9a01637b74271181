package scenario_test

import (
	"fmt"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/scenario"
)

// A scenario is an organisation in one file, resolved without a service.
func ExampleRead() {
	s, err := scenario.Read([]byte(`
format: rankwarden.scenario/1
groups: [{name: desks, devices: [SKL-TKT-001]}]
policies:
  - {format: rankwarden.policy/1, name: base, passwords: {min_length: 12}}
  - {format: rankwarden.policy/1, name: desks, passwords: {min_length: 14}}
assignments:
  - {name: base-everywhere, policy: base, include: [everything], rank: 500}
  - {name: desks, policy: desks, include: [desks], rank: 200}
devices: [{name: SKL-HQ-001}, {name: SKL-TKT-001}]
`), nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	settled := s.Settle(fleet.InTurn)
	for i, d := range settled.Devices {
		u := settled.Device(i).Enforced.Units[0]
		fmt.Println(d.Name, u.Unit, u.Value, u.From)
	}
	// Output:
	// SKL-HQ-001 passwords.min_length 12 [base-everywhere]
	// SKL-TKT-001 passwords.min_length 14 [desks]
}
