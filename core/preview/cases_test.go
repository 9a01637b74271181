package preview_test

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/plan"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/scenario"
	"rankwarden.example/core/unit"
)

// inputs are the scenarios of the worked examples, by file.
func inputs(t require.TestingT) map[string][]byte {
	files, err := filepath.Glob("testdata/cases/*.json")
	require.NoError(t, err)
	all := map[string][]byte{}
	for _, file := range files {
		if !strings.Contains(file, ".expected.") {
			all[file], err = os.ReadFile(file)
			require.NoError(t, err)
		}
	}
	require.Len(t, all, 24)
	return all
}

// previewed is the document of a scenario.
func previewed(t require.TestingT, source []byte) string {
	s, err := scenario.Read(source, nil)
	require.NoError(t, err)
	p, err := s.Preview(fleet.InTurn)
	require.NoError(t, err)
	var out bytes.Buffer
	require.NoError(t, p.WriteJSON(&out))
	return out.String()
}

// Every worked example gives exactly the document that it should.
func TestCases(t *testing.T) {
	for file, source := range inputs(t) {
		want, err := os.ReadFile(strings.Replace(file, ".json", ".expected.json", 1))
		require.NoError(t, err)
		got := previewed(t, source)
		require.JSONEq(t, string(want), got, file)
		assert.Equal(t, compact(t, want), compact(t, []byte(got)), "%s: keys in the order of the format", file)
	}
}

func compact(t *testing.T, data []byte) string {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, json.Compact(&out, data))
	return out.String()
}

// In whatever order devices, groups, policies, assignments and accounts come, the document is the same, byte for byte.
func TestOrderNeverMatters(t *testing.T) {
	for file, source := range inputs(t) {
		want := previewed(t, source)
		random := rand.New(rand.NewPCG(11, uint64(len(file))))
		var object map[string]any
		require.NoError(t, json.Unmarshal(source, &object))
		for range 3 {
			for _, key := range []string{"devices", "groups", "policies", "assignments", "directory"} {
				shuffle(random, object[key])
			}
			for _, d := range object["devices"].([]any) {
				if report, ok := d.(map[string]any)["reported"].(map[string]any); ok {
					shuffle(random, report["local_groups"])
					shuffle(random, report["rotation"])
				}
			}
			shuffled, err := json.Marshal(object)
			require.NoError(t, err)
			require.Equal(t, want, previewed(t, shuffled), file)
		}
	}
}

func shuffle(random *rand.Rand, list any) {
	if list, ok := list.([]any); ok {
		random.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	}
}

// A change without edits has no effects, and neither has one that is followed by its inverse; nobody leaves a group who
// would not be a member without the change.
func TestPropertiesOfEveryPreview(t *testing.T) {
	leaves := 0
	for file, source := range inputs(t) {
		s, err := scenario.Read(source, nil)
		require.NoError(t, err)
		s.Change = s.Change[:0]
		nothing, err := s.Preview(fleet.InTurn)
		require.NoError(t, err)
		require.Zero(t, nothing.Devices, file)

		s, err = scenario.Read(source, nil)
		require.NoError(t, err)
		s.Change = append(s.Change, inverse(s)...)
		back, err := s.Preview(fleet.InTurn)
		require.NoError(t, err, file)
		require.Zero(t, back.Devices, file)

		s, err = scenario.Read(source, nil)
		require.NoError(t, err)
		p, err := s.Preview(fleet.InTurn)
		require.NoError(t, err)
		for _, a := range p.Affected {
			at := slices.IndexFunc(s.Devices, func(f fleet.Facts) bool { return f.Name == a.Device })
			for _, e := range a.Effects {
				if e.Kind == effect.MemberLeaves {
					leaves++
					require.True(t, wasOrWouldBe(s, at, e), "%s: %s leaves %s", file, e.Subject, e.Unit)
				}
			}
		}
	}
	assert.Greater(t, leaves, 20)
}

// wasOrWouldBe reports whether who leaves is a member now, or is asked to be one without the change.
func wasOrWouldBe(s *scenario.Scenario, device int, e effect.Effect) bool {
	local, _ := e.Unit.LocalGroup()
	state := &s.Reports[device].State
	if g, there := state.Group(local); there {
		for _, m := range g.Members {
			if state.Name(m.SID, s.Directory).String() == e.Subject {
				return true
			}
		}
	}
	for _, setting := range plan.Run(s.Inputs, fleet.InTurn).Of(device).Enforced.Settings() {
		if m, ok := setting.Value.(unit.Members); ok && setting.Unit == e.Unit {
			for _, ref := range m.Present {
				if sid := state.Find(ref, nil, s.Directory); ref.String() == e.Subject ||
					!sid.IsZero() && state.Name(sid, s.Directory).String() == e.Subject {
					return true
				}
			}
			return slices.ContainsFunc(
				m.Present,
				func(ref principal.Ref) bool { return ref.Kind() == principal.Account },
			)
		}
	}
	return false
}
