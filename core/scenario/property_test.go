package scenario_test

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"rankwarden.example/core/fleet"
	"rankwarden.example/core/scenario"
)

// inputs are the worked examples as objects.
func inputs(t *testing.T) map[string]map[string]any {
	t.Helper()
	files, err := filepath.Glob("testdata/cases/*.json")
	require.NoError(t, err)
	all := map[string]map[string]any{}
	for _, file := range files {
		if strings.Contains(file, ".expected.") {
			continue
		}
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		var object map[string]any
		require.NoError(t, json.Unmarshal(data, &object))
		all[filepath.Base(file)] = object
	}
	return all
}

func settleJSON(t require.TestingT, object map[string]any, each fleet.Each) string {
	source, err := json.Marshal(object)
	require.NoError(t, err)
	s, err := scenario.Read(source, nil)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, s.Settle(each).WriteJSON(&out))
	return out.String()
}

// backwards does what is independent in another order.
func backwards(n int, do func(i int)) {
	for i := n - 1; i >= 0; i-- {
		do(i)
	}
}

// In whatever order devices, groups, policies, assignments and lists inside of them come, the result
// is the same, byte for byte.
func TestOrderOfTheFileNeverMatters(t *testing.T) {
	for name, object := range inputs(t) {
		want := settleJSON(t, object, fleet.InTurn)
		random := rand.New(rand.NewPCG(7, uint64(len(name))))
		for range 3 {
			for _, key := range []string{"devices", "groups", "policies", "assignments", "directory"} {
				if list, ok := object[key].([]any); ok {
					random.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
				}
			}
			assignments, _ := object["assignments"].([]any)
			for _, a := range assignments {
				include := a.(map[string]any)["include"].([]any)
				random.Shuffle(len(include), func(i, j int) { include[i], include[j] = include[j], include[i] })
			}
			require.Equal(t, want, settleJSON(t, object, backwards), name)
		}
	}
}

// A device gets what it would get if it were alone: sharing results among devices changes nothing.
func TestEveryDeviceIsSettledAsIfAlone(t *testing.T) {
	for name, object := range inputs(t) {
		devices, _ := object["devices"].([]any)
		var together struct{ Devices []json.RawMessage }
		require.NoError(t, json.Unmarshal([]byte(settleJSON(t, object, fleet.InTurn)), &together))
		byName := map[string]string{}
		for _, d := range together.Devices {
			var named struct{ Device string }
			require.NoError(t, json.Unmarshal(d, &named))
			byName[named.Device] = string(d)
		}
		for _, d := range devices {
			object["devices"] = []any{d}
			var alone struct{ Devices []json.RawMessage }
			require.NoError(t, json.Unmarshal([]byte(settleJSON(t, object, fleet.InTurn)), &alone))
			require.Equal(t, byName[d.(map[string]any)["name"].(string)], string(alone.Devices[0]), name)
		}
		object["devices"] = devices
	}
}

// Taking a fact away makes an assignment that rests on it undecided, and holds everything; it never
// makes it silently apply or not apply.
func TestAMissingFactIsNeverTakenForANo(t *testing.T) {
	const policies = `"policies": [{"format": "rankwarden.policy/1", "name": "p", "passwords": {"min_length": 9}}]`
	rapid.Check(t, func(t *rapid.T) {
		build := rapid.IntRange(1, 3).Draw(t, "build")
		rule := rapid.SampledFrom([]string{"device.os_build >= 2", "!(device.os_build >= 2)",
			"device.os_build == 2 || device.os_build == 3"}).
			Draw(t, "rule")
		place := rapid.SampledFrom([]string{"include", "exclude", "within"}).Draw(t, "place")
		aim := map[string]string{"include": `"include": ["g"]`,
			"exclude": `"include": ["everything"], "exclude": ["g"]`,
			"within":  `"include": ["everything"], "within": ["g"]`}[place]
		reason := func(device string) (string, string) {
			out := settleJSON(
				t,
				object(
					t,
					`{"format": "rankwarden.scenario/1", "groups": [{"name": "g", "rule": "`+rule+`"}], `+policies+`,
				"assignments": [{"name": "a", "policy": "p", "rank": 1, `+aim+`}], "devices": [`+device+`]}`,
				),
				fleet.InTurn,
			)
			var read struct {
				Devices []struct {
					Assignments []struct{ Reason string }
					Enforced    struct{ Problems []struct{ Code string } }
				}
			}
			require.NoError(t, json.Unmarshal([]byte(out), &read))
			d := read.Devices[0]
			code := ""
			if len(d.Enforced.Problems) > 0 {
				code = d.Enforced.Problems[0].Code
			}
			if len(d.Assignments) == 0 {
				return "not listed", code
			}
			return d.Assignments[0].Reason, code
		}
		known, problem := reason(`{"name": "d", "os_build": ` + string(rune('0'+build)) + `}`)
		assert.NotEqual(t, "undecided", known)
		assert.Empty(t, problem)
		unknown, problem := reason(`{"name": "d"}`)
		assert.Equal(t, "undecided", unknown)
		assert.Equal(t, "undecided_scope", problem)
	})
}

func object(t require.TestingT, source string) map[string]any {
	var o map[string]any
	require.NoError(t, json.Unmarshal([]byte(source), &o))
	return o
}
