package store

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var (
	numbered = regexp.MustCompile(`\$[0-9]`)
	runsSQL  = map[string]bool{"rows": true, "one": true, "exec": true}
)

// A statement that is written down whole numbers its arguments; one that is put together marks them. None does both.
func TestStatementsHaveOneStyle(t *testing.T) {
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	statements := 0
	for _, path := range files {
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, path, nil, parser.SkipObjectResolution)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			call, is := n.(*ast.CallExpr)
			if !is || !runsSQL[called(call.Fun)] {
				return true
			}
			statements++
			sql, parts := written(call)
			where := set.Position(call.Pos())
			assert.False(t, strings.Contains(sql, "?") && numbered.MatchString(sql), "%s has both styles", where)
			assert.False(t, strings.Contains(sql, "?") && !parts, "%s is written whole: number its arguments", where)
			return true
		})
	}
	assert.Greater(t, statements, 150)
}

// called is the name of what is called, without its type arguments and receiver.
func called(e ast.Expr) string {
	switch e := e.(type) {
	case *ast.IndexExpr:
		return called(e.X)
	case *ast.Ident:
		return e.Name
	case *ast.SelectorExpr:
		return e.Sel.Name
	}
	return ""
}

// written is the SQL that stands in a call, and whether more is put into it.
func written(call *ast.CallExpr) (sql string, parts bool) {
	for _, arg := range call.Args {
		ast.Inspect(arg, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.BasicLit:
				if text, err := strconv.Unquote(x.Value); err == nil && x.Kind == token.STRING {
					sql += text
				}
			case *ast.CallExpr:
				return false
			}
			return true
		})
	}
	return sql, call.Ellipsis.IsValid()
}
