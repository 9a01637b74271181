package core_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The core is pure: it imports the standard library, the YAML parser, Unicode normalisation and, for
// groups alone, the expression language of rules. It does no I/O, tells no time, starts no goroutine
// and has no randomness of its own.
func TestCoreStaysPure(t *testing.T) {
	allowed := map[string]bool{"go.yaml.in/yaml/v3": true, "golang.org/x/text/unicode/norm": true}
	const expressions = "cel.dev/cel-go/" // of group rules
	forbidden := []string{"os", "net", "io/fs", "database/sql", "math/rand", "crypto/rand", "log", "sync"}
	files := 0
	err := filepath.WalkDir(".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		files++
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		require.NoError(t, err)
		for _, spec := range file.Imports {
			name := strings.Trim(spec.Path.Value, `"`)
			first, _, _ := strings.Cut(name, "/")
			if strings.Contains(first, ".") {
				assert.True(
					t,
					allowed[name] || strings.HasPrefix(name, expressions) && filepath.Dir(path) == "fleet" ||
						strings.HasPrefix(name, "rankwarden.example/core/"),
					"%s imports %s",
					path,
					name,
				)
			}
			for _, f := range forbidden {
				// net/url only reads and writes text.
				reaches := name == f || strings.HasPrefix(name, f+"/") && name != "net/url"
				assert.False(t, reaches, "%s imports %s", path, name)
			}
		}
		ast.Inspect(file, func(n ast.Node) bool {
			switch n := n.(type) {
			case *ast.GoStmt:
				assert.Fail(t, path+" starts a goroutine")
			case *ast.SelectorExpr:
				of, named := n.X.(*ast.Ident)
				assert.False(t, named && of.Name == "time" &&
					(n.Sel.Name == "Now" || n.Sel.Name == "Since" || n.Sel.Name == "Sleep"), "%s tells the time", path)
			}
			return true
		})
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, files, 15)
}

// The agent and the client stay small: neither links the expression language.
func TestAgentAndClientStaySmall(t *testing.T) {
	for _, of := range []string{"rankwarden.example/cmd/rankwarden-agent", "rankwarden.example/client"} {
		out, err := exec.Command("go", "list", "-deps", of).CombinedOutput()
		require.NoError(t, err, string(out))
		assert.NotContains(t, string(out), "cel.dev/", of)
	}
}
