package fleet_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
)

// What is not known gives no answer, unless the rest of the rule decides without it.
func TestRuleInThreeValues(t *testing.T) {
	desk := &fleet.Facts{
		Name:     "SKL-TKT-001",
		Platform: "windows",
		OSBuild:  19045,
		Path:     "north/kirkness/desk",
		Tags:     []string{"kiosk", "spare"},
	}
	for rule, want := range map[string]assign.Truth{
		`device.os_build >= 19045`:                                   assign.Yes,
		`device.os_build > 19045`:                                    assign.No,
		`device.model == "Quay 7"`:                                   assign.Unknown,
		`!(device.model == "Quay 7")`:                                assign.Unknown,
		`device.model == "Quay 7" || "kiosk" in device.tags`:         assign.Yes,
		`device.model == "Quay 7" && "bridge" in device.tags`:        assign.No,
		`has(device.model) && device.model == "Quay 7"`:              assign.No,
		`has(device.model) ? device.model == "x" : true`:             assign.Yes,
		`device.path.startsWith("north/")`:                           assign.Yes,
		`device.primary_user == ""`:                                  assign.Yes,
		`device.tags.exists(t, t.matches("^sp"))`:                    assign.Yes,
		`device.name in ["SKL-TKT-001", "SKL-TKT-002"]`:              assign.Yes,
		`device.os_build / (device.os_build - 19045) > 1`:            assign.Unknown,
		`device.platform == "windows" && size(device.tags) == 2`:     assign.Yes,
		`device.os_version.startsWith("10.") || device.serial == ""`: assign.Unknown,
	} {
		r, err := fleet.ParseRule(rule)
		require.NoError(t, err, rule)
		assert.Equal(t, want, r.Holds(desk), rule)
	}
}

func TestRuleErrorsHaveAPlace(t *testing.T) {
	for rule, at := range map[string][2]int{
		`device.os_biuld >= 1`:                   {1, 7},
		"device.os_build >= 1 &&\n  device.tags": {2, 9},
		`device.os_build >= "1"`:                 {1, 17},
		`device.os_build`:                        {1, 1},
		`device.name ==`:                         {1, 15},
		`fleet.size > 3`:                         {1, 1},
		// would take too long
		`device.tags.all(a, device.tags.all(b, device.tags.all(c, device.tags.all(d, a < b))))`: {1, 1},
	} {
		_, err := fleet.ParseRule(rule)
		var where *fleet.RuleError
		require.ErrorAs(t, err, &where, rule)
		assert.Equal(t, at, [2]int{where.Line, where.Column}, "%s: %v", rule, err)
		assert.NotEmpty(t, where.Message)
	}
	r, err := fleet.ParseRule(`device.os_build > 1 && "a" in device.tags`)
	require.NoError(t, err)
	assert.Equal(t, []string{"os_build", "tags"}, r.Reads())
}

// A rule has a price before it is worked out for anybody: what is saved may cost as much as it did when there was none.
func TestRulesHaveAPrice(t *testing.T) {
	desk := &fleet.Facts{Name: "SKL-TKT-001", Path: "north/kirkness", OSBuild: 22621, Tags: []string{"kiosk"}}
	ten := "[1, 2, 3, 4, 5, 6, 7, 8, 9, 10]"
	for rule, affordable := range map[string]bool{
		`device.os_build >= 22621`: true,
		`device.tags.exists(t, t.startsWith("kiosk")) && device.path.startsWith("north/")`: true,
		`device.tags.exists(t, t in ["a", "b", "c", "d", "e", "f", "g", "h", "i", "j"])`:   true,
		ten + ".all(a, " + ten + ".all(b, " + ten + ".all(c, a + b + c > 0)))":             false,
		`device.tags.all(t, ` + strings.Repeat(`t.contains("aaa") || `, 40) + `false)`:     false,
		ten + ".all(a, " + ten + ".all(b, a + b > 0))":                                     true,
	} {
		r, err := fleet.ParseRule(rule)
		require.NoError(t, err, rule)
		assert.Equal(t, affordable, r.Affordable() == nil, rule)
		counted, err := r.Counted()
		require.NoError(t, err)
		holds, cost := counted.Holds(desk)
		assert.Equal(t, r.Holds(desk), holds, rule)
		assert.Positive(t, cost)
	}
}
