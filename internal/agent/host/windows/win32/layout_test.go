//go:build linux

package win32

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// structures are those of layout.go, by their names in the headers.
var structures = map[string]any{
	"USER_INFO_0": userInfo0{}, "USER_INFO_1": userInfo1{}, "USER_INFO_3": userInfo3{},
	"USER_INFO_1003": userInfo1003{},
	"USER_INFO_1007": userInfo1007{}, "USER_INFO_1008": userInfo1008{}, "USER_INFO_1011": userInfo1011{},
	"USER_INFO_1017": userInfo1017{}, "USER_MODALS_INFO_0": userModalsInfo0{}, "USER_MODALS_INFO_2": userModalsInfo2{},
	"USER_MODALS_INFO_3": userModalsInfo3{}, "LOCALGROUP_INFO_0": localGroupInfo0{},
	"LOCALGROUP_MEMBERS_INFO_0": localGroupMembersInfo0{}, "LOCALGROUP_MEMBERS_INFO_2": localGroupMembersInfo2{},
	"WTS_SESSION_INFOW": wtsSessionInfo{}, "WTS_PROCESS_INFOW": wtsProcessInfo{}, "SYSTEMTIME": systemTime{},
}

// Sizes, offsets and values are those of the headers of mingw-w64: a generated program in C says so, or does not
// compile.
func TestTheLayoutIsThatOfTheHeaders(t *testing.T) {
	if strconv.IntSize != 64 {
		t.Skip("structures are laid out for machines of 64 bits, and this is one of 32")
	}
	compiler, err := exec.LookPath("x86_64-w64-mingw32-gcc")
	if err != nil && os.Getenv("CI_RUN") == "" {
		t.Skip("the headers of Windows are missing; install them with: scripts/install windows")
	}
	require.NoError(t, err)
	var b strings.Builder
	b.WriteString(
		"#include <windows.h>\n#include <lm.h>\n#include <wtsapi32.h>\n#include <winevt.h>\n#include <wincrypt.h>\n",
	)
	claim := func(what string, value uint64) {
		fmt.Fprintf(&b, "_Static_assert((unsigned int)(%s) == %du, \"%s is not %d\");\n", what, value, what, value)
	}
	for name, structure := range structures {
		of := reflect.TypeOf(structure)
		claim("sizeof("+name+")", uint64(of.Size()))
		for i := range of.NumField() {
			f := of.Field(i)
			claim(fmt.Sprintf("offsetof(%s, %s)", name, f.Tag.Get("c")), uint64(f.Offset))
			claim(fmt.Sprintf("sizeof(((%s *)0)->%s)", name, f.Tag.Get("c")), uint64(f.Type.Size()))
		}
	}
	n := 0
	for _, file := range []string{"values_windows.go", "../code.go", "../system.go"} {
		for symbol, value := range valuesOf(t, file) {
			claim(symbol, value)
			n++
		}
	}
	require.Greater(t, n, 55, "values with their names in the headers")
	source := filepath.Join(t.TempDir(), "layout.c")
	require.NoError(t, os.WriteFile(source, []byte(b.String()), 0o600))
	out, err := exec.Command(compiler, "-fsyntax-only", "-D_WIN32_WINNT=0x0A00", source).CombinedOutput()
	require.NoError(t, err, string(out))
}

// valuesOf are the constants of a file whose comment is, or begins with, their name in the headers.
func valuesOf(t *testing.T, path string) map[string]uint64 {
	file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ParseComments)
	require.NoError(t, err)
	found := map[string]uint64{}
	ast.Inspect(file, func(n ast.Node) bool {
		spec, is := n.(*ast.ValueSpec)
		if !is || spec.Comment == nil || len(spec.Values) != 1 {
			return true
		}
		literal, is := spec.Values[0].(*ast.BasicLit)
		symbol, _, _ := strings.Cut(strings.TrimSpace(spec.Comment.Text()), ",")
		if is && !strings.Contains(symbol, " ") {
			value, exact := constant.Uint64Val(constant.MakeFromLiteral(literal.Value, literal.Kind, 0))
			require.True(t, exact, symbol)
			found[symbol] = value
		}
		return true
	})
	return found
}
