package rooms_test

import (
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// rooms are those of the service. None imports another.
var rooms = []string{"access", "authoring", "custody", "deploy", "insight", "intake", "notify", "trail"}

// Dependencies point one way: faces, rooms, what rooms share, store and core.
func TestRoomsDoNotKnowEachOther(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}}: {{join .Imports " "}}`, "rankwarden.example/...").
		CombinedOutput()
	require.NoError(t, err, string(out))
	const own, inside = "rankwarden.example/", "rankwarden.example/internal/"
	faces := []string{"httpapi", "deviceapi", "problem", "server", "rooms", "metrics"}
	seen := 0
	for line := range strings.Lines(string(out)) {
		from, imported, _ := strings.Cut(strings.TrimSpace(line), ": ")
		room, is := strings.CutPrefix(from, inside)
		for to := range strings.FieldsSeq(imported) {
			name := strings.TrimPrefix(to, inside)
			switch {
			case strings.HasPrefix(from, own+"core/"):
				assert.False(
					t,
					strings.HasPrefix(to, own) && !strings.HasPrefix(to, own+"core/"),
					"%s imports %s",
					from,
					to,
				)
			case is && slices.Contains(rooms, room):
				seen++
				assert.False(t, slices.Contains(rooms, name) || slices.Contains(faces, name), "%s imports %s", from, to)
			case is && !slices.Contains(faces, room):
				assert.False(t, slices.Contains(rooms, name), "%s imports %s", from, to)
			}
			if is || strings.HasPrefix(from, own+"core/") || from == own+"api" {
				assert.NotEqual(t, own+"client", to, "%s imports the client", from)
			}
			if from == own+"client" || from == own+"api" {
				assert.False(t, strings.HasPrefix(to, inside), "%s imports %s", from, to)
			}
		}
	}
	assert.Greater(t, seen, 50)
}
