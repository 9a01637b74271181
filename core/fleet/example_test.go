package fleet_test

import (
	"fmt"

	"rankwarden.example/core/fleet"
)

// A rule that reads a fact which is not known gives no answer, and never a "no".
func ExampleParseRule() {
	rule, err := fleet.ParseRule(`device.os_build < 22000 && "kiosk" in device.tags`)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, device := range []fleet.Facts{
		{Name: "SKL-INF-001", OSBuild: 19045, Tags: []string{"kiosk"}},
		{Name: "SKL-INF-002", OSBuild: 22631, Tags: []string{"kiosk"}},
		{Name: "SKL-INF-003", Tags: []string{"kiosk"}},
	} {
		fmt.Println(device.Name, rule.Holds(&device))
	}
	// Output:
	// SKL-INF-001 yes
	// SKL-INF-002 no
	// SKL-INF-003 unknown
}
