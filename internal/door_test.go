package internal_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mayWriteInForce are where the one that writes what is in force may be named: the store, which has it, and where the
// room of changes is opened.
var mayWriteInForce = []string{"internal/store/", "internal/app/rooms.go"}

// Nobody but the door can write what is in force: nobody else is handed the type that does.
func TestOnlyTheDoorWritesWhatIsInForce(t *testing.T) {
	seen := 0
	for _, root := range []string{"../cmd", "../demo", "../client", "."} {
		require.NoError(t, filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
			if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			source, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			name := filepath.ToSlash(filepath.Join("internal", path))
			for _, forbidden := range []string{"ForDoor", "DoorWriter", "InForceWriter"} {
				if !strings.Contains(code(string(source)), forbidden) {
					continue
				}
				seen++
				allowed := strings.HasSuffix(name, "uowtest.go") || strings.Contains(name, "/storetest/")
				for _, prefix := range mayWriteInForce {
					allowed = allowed || strings.HasPrefix(name, prefix)
				}
				assert.True(t, allowed, "%s is handed what writes what is in force (%s)", name, forbidden)
			}
			return nil
		}))
	}
	assert.Positive(t, seen)
}

// code is a source without its comments of whole lines.
func code(source string) string {
	var kept strings.Builder
	for line := range strings.Lines(source) {
		if !strings.HasPrefix(strings.TrimSpace(line), "//") {
			kept.WriteString(line)
		}
	}
	return kept.String()
}
