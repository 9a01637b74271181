package internal_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The longest of each, without a reason in its comment. A tab is four columns.
const (
	mostColumns       = 120
	mostFunctionLines = 80
	mostFileLines     = 400
)

// reason stands in the comment of a function or file that is longer, and is followed by why.
const reason = "It is long because"

// sources visits every Go file of the repository.
func sources(t *testing.T, visit func(path string, set *token.FileSet, file *ast.File, lines []string)) {
	seen := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if name := d.Name(); d.IsDir() && (name == "node_modules" || name != ".." && strings.HasPrefix(name, ".")) {
			return fs.SkipDir
		}
		if !strings.HasSuffix(path, ".go") {
			return nil
		}
		source, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, source, parser.ParseComments|parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		seen++
		visit(path, set, file, strings.Split(strings.TrimSuffix(string(source), "\n"), "\n"))
		return nil
	}))
	assert.Greater(t, seen, 500)
}

// A line breaks where a person would break it. Only what stands in a raw string or in the tag of a field, which cannot
// be broken, may be longer.
func TestTheHouseHasShortLines(t *testing.T) {
	sources(t, func(path string, set *token.FileSet, file *ast.File, lines []string) {
		raw := map[int]bool{}
		ast.Inspect(file, func(n ast.Node) bool {
			if x, is := n.(*ast.BasicLit); is && strings.HasPrefix(x.Value, "`") {
				for line := set.Position(x.Pos()).Line; line <= set.Position(x.End()).Line; line++ {
					raw[line] = true
				}
			}
			return true
		})
		for i, line := range lines {
			columns := utf8.RuneCountInString(strings.ReplaceAll(line, "\t", "    "))
			assert.True(t, columns <= mostColumns || raw[i+1], "%s:%d has %d columns", path, i+1, columns)
		}
	})
}

func TestTheHouseHasShortFunctions(t *testing.T) {
	sources(t, func(path string, set *token.FileSet, file *ast.File, _ []string) {
		for _, d := range file.Decls {
			f, is := d.(*ast.FuncDecl)
			if !is || f.Body == nil || strings.HasSuffix(path, "_test.go") {
				continue
			}
			n := set.Position(f.End()).Line - set.Position(f.Pos()).Line + 1
			assert.True(t, n <= mostFunctionLines || strings.Contains(f.Doc.Text(), reason),
				"%s: %s has %d lines; split it, or say in its comment: %s …", path, f.Name.Name, n, reason)
		}
	})
}

func TestTheHouseHasShortFiles(t *testing.T) {
	sources(t, func(path string, _ *token.FileSet, file *ast.File, lines []string) {
		why := false
		for _, c := range file.Comments {
			why = why || strings.Contains(c.Text(), reason)
		}
		assert.True(t, len(lines) <= mostFileLines || why,
			"%s has %d lines; split it, or say in a comment: %s …", path, len(lines), reason)
	})
}
