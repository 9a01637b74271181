// Package internal_test says which layer may import which.
package internal_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers from the top to the bottom. A layer imports those below it, and itself where it is not a room.
var layers = []string{"app", "face", "room", "base", "store", "wire", "kit"}

// mayImport reports whether a package may import another of this module, both without the module's name.
func mayImport(from, to string) bool {
	of := func(path string) (layer string, depth int) {
		inside, is := strings.CutPrefix(path, "internal/")
		layer, _, _ = strings.Cut(inside, "/")
		if !is {
			layer, _, _ = strings.Cut(path, "/")
		}
		return layer, slices.Index(layers, layer)
	}
	layer, depth := of(from)
	toLayer, toDepth := of(to)
	switch {
	case layer == "core", layer == "api": // pure, and types alone
		return toLayer == "core"
	case layer == "client":
		return toLayer == "api" || toLayer == "core"
	case layer == "kit": // knows nothing of the job
		return toLayer == "kit"
	case layer == "agent": // what runs on workstations knows nothing of the service
		return slices.Contains([]string{"agent", "wire", "kit", "core"}, toLayer)
	case toLayer == "agent", toLayer == "client", toLayer == "cmd", toLayer == "demo", toLayer == "e2e",
		toLayer == "console":
		return depth < 0
	case layer == "room" && toLayer == "room":
		return strings.Split(from, "/")[2] == strings.Split(to, "/")[2] // none knows another
	// programs, demo and tests import what they like; everybody may import core and, above rooms, api
	case depth < 0 || toDepth < 0:
		return toLayer != "api" || depth <= slices.Index(layers, "face")
	}
	return depth <= toDepth
}

func TestLayersImportWhatIsBelow(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}: {{join .Imports " "}}`, "rankwarden.example/...").
		CombinedOutput()
	require.NoError(t, err, string(out))
	const own = "rankwarden.example/"
	seen := 0
	for line := range strings.Lines(string(out)) {
		from, imported, _ := strings.Cut(strings.TrimSpace(line), ": ")
		for to := range strings.FieldsSeq(imported) {
			if to, ours := strings.CutPrefix(to, own); ours {
				seen++
				assert.True(t, mayImport(strings.TrimPrefix(from, own), to), "%s imports %s", from, to)
			}
		}
	}
	assert.Greater(t, seen, 400)
}

// The rule itself, by what it refuses and what it allows.
func TestTheRuleOfLayers(t *testing.T) {
	for _, c := range []struct {
		from, to string
		may      bool
	}{
		{"internal/room/devices", "internal/base/uow", true},
		{"internal/room/devices", "internal/room/passwords", false},
		{"internal/room/devices", "internal/face/httpapi", false},
		{"internal/base/uow", "internal/room/trail", false},
		{"internal/base/cache", "internal/base/refusal", true},
		{"internal/store", "internal/base/auth", false},
		{"internal/kit/jobs", "core/unit", false},
		{"internal/wire/protocol", "core/unit", true},
		{"internal/room/trail", "api", false},
		{"internal/face/httpapi", "api", true},
		{"internal/agent/rotate", "internal/store", false},
		{"internal/app", "internal/agent", false},
		{"core/plan", "internal/store", false},
		{"client", "internal/store", false},
		{"cmd/rankwardend", "internal/app", true},
	} {
		assert.Equal(t, c.may, mayImport(c.from, c.to), "%s imports %s", c.from, c.to)
	}
}
