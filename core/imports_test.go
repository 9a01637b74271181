package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The core is pure: it imports the standard library, the YAML parser, Unicode
// normalisation and the expression language of rules, and
// nothing that does I/O, tells the time or rolls dice.
func TestCoreStaysPure(t *testing.T) {
	allowed := map[string]bool{"go.yaml.in/yaml/v3": true, "golang.org/x/text/unicode/norm": true}
	// The expression language of group rules.
	const expressions = "cel.dev/cel-go/"
	forbidden := []string{"os", "net", "io/fs", "database/sql", "math/rand", "crypto/rand", "log", "sync"}
	files := 0
	err := filepath.WalkDir(".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		files++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		require.NoError(t, err)
		for _, spec := range file.Imports {
			name := strings.Trim(spec.Path.Value, `"`)
			first, _, _ := strings.Cut(name, "/")
			if strings.Contains(first, ".") {
				assert.True(t, allowed[name] || strings.HasPrefix(name, expressions) || strings.HasPrefix(name, "rankwarden.example/core/"), "%s imports %s", path, name)
			}
			for _, f := range forbidden {
				assert.False(t, name == f || strings.HasPrefix(name, f+"/"), "%s imports %s", path, name)
			}
		}
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, files, 15)
}
