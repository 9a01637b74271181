package internal_test

import (
	"cmp"
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// compiles tries to build a package with one more file, which holds a function with a body, and gives what the compiler
// says.
func compiles(t *testing.T, folder, body string) (said string, ok bool) {
	source := "package " + filepath.Base(folder) + `

import (
	"context"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

func trying(ctx context.Context, who rights.Identity, s *Service, db *store.Store) error {
	var _ = uow.Itself
	` + body + `
}
`
	dir := t.TempDir()
	file := filepath.Join(dir, "attempt.go")
	require.NoError(t, os.WriteFile(file, []byte(source), 0o600))
	target, err := filepath.Abs(filepath.Join("..", folder, "attempt.go"))
	require.NoError(t, err)
	overlay, err := json.Marshal(map[string]any{"Replace": map[string]string{target: file}})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "overlay.json"), overlay, 0o600))
	cmd := exec.Command("go", "build", "-overlay", filepath.Join(dir, "overlay.json"), "./"+folder)
	cmd.Dir = ".."
	out, err := cmd.CombinedOutput()
	return string(out), err == nil
}

// What could begin a transaction is only for those who put the service together, and for the units of work themselves.
func TestOnlyUnitsOfWorkBeginTransactions(t *testing.T) {
	may := map[string]bool{"internal/app": true, "internal/store/storetest": true, "internal/base/uow": true,
		"internal/store": true}
	seen := 0
	require.NoError(t, filepath.WalkDir(".", func(path string, _ os.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			x, is := n.(*ast.SelectorExpr)
			if is && slices.Contains([]string{"InTx", "InStatements", "TakeReports"}, x.Sel.Name) {
				seen++
				assert.True(t, may[filepath.Join("internal", filepath.Dir(path))], "%s uses %s", path, x.Sel.Name)
			}
			return true
		})
		return nil
	}))
	assert.Positive(t, seen)
}

// Nothing writes but in a unit of work: what is tried past it is no program.
func TestNothingWritesPastAUnitOfWork(t *testing.T) {
	for name, c := range map[string]struct{ body, says, room string }{
		"in a unit of work": {
			`return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error { return tx.RemoveDirectory(nil) })`,
			"", "",
		},
		"with what one reads by": {`return s.Read(ctx).RemoveDirectory(nil)`, "RemoveDirectory undefined", ""},
		"in a snapshot": {
			`return s.Snapshot(ctx, func(tx Reads) error { return tx.RemoveDirectory(nil) })`,
			"RemoveDirectory undefined", "",
		},
		"a lock in a snapshot": {
			`return s.Snapshot(ctx, func(tx Reads) error { return tx.LockDevices(nil) })`, "LockDevices undefined", "",
		},
		"past the room": {
			`return s.db.InTx(ctx, func(tx Records) error { return nil })`, "s.db undefined", "",
		},
		"with the store itself": {`return db.RemoveDirectory(nil)`, "RemoveDirectory undefined", ""},
		"with all that is read": {`var r store.Reader; return r.RemoveDirectory(nil)`, "RemoveDirectory undefined", ""},
		"what is in force, from another room": {
			`return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error { return tx.RemoveDirectory(nil) })`,
			"RemoveDirectory undefined", "organisation",
		},
		"what is in force, with all that writes": {
			`var w store.Writer; return w.SetFacts("", "", nil, "")`, "SetFacts undefined", "organisation",
		},
		"with an act of its own": {
			`return s.Do(ctx, uow.Act{who: who}, func(Records, *uow.Work) error { return nil })`,
			"cannot refer to unexported field who", "",
		},
		"with an operation without a right": {
			`return s.Do(ctx, uow.ByOperator("thing.changed", who, ""), func(Records, *uow.Work) error { return nil })`,
			"cannot use \"thing.changed\"", "",
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			said, ok := compiles(t, "internal/room/"+cmp.Or(c.room, "changes"), c.body)
			assert.Equal(t, c.says == "", ok, said)
			assert.Contains(t, said, c.says)
		})
	}
}
