package httpapi_test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/face/httpapi"
)

// aboutItself are the routes that describe the interface; the library of the description adds them.
var aboutItself = regexp.MustCompile(`^/api/v1/(openapi[-.0-9]*(json|yaml)|schemas/:schema)$`)

// Fiber itself serves the operations that are declared, each with a right, and nothing beside them: a route that
// somebody adds past the declarations is found here.
func TestWhatIsServedIsWhatIsDeclared(t *testing.T) {
	app := fiber.New()
	httpapi.Mount(app, httpapi.Options{})
	served := map[string]bool{}
	for _, r := range app.GetRoutes(true) {
		if r.Method != fiber.MethodHead && !aboutItself.MatchString(r.Path) {
			served[r.Method+" "+r.Path] = true
		}
	}
	for _, o := range operation.All() {
		route := o.Method + " " + strings.NewReplacer("{", ":", "}", "").Replace(o.Pattern())
		assert.True(t, served[route], "%s is declared and not served", o.ID)
		delete(served, route)
	}
	assert.Empty(t, served, "routes without an operation")
}

// The page of rights says of every operation which roles have its right.
func TestThePageOfRights(t *testing.T) {
	page, err := os.ReadFile("../../../docs/reference/rights.md")
	require.NoError(t, err)
	rows := map[string][]string{}
	for line := range strings.Lines(string(page)) {
		if cells := strings.Split(strings.Trim(strings.TrimSpace(line), "| "), " | "); len(cells) == 2+
			len(rights.Roles) {
			rows[cells[0]] = cells[1:]
		}
	}
	for _, o := range operation.All() {
		row, there := rows[o.ID]
		if !assert.True(t, there, "%s is not on the page", o.ID) {
			continue
		}
		assert.Equal(t, o.Right == rights.Anybody, row[0] == "yes", "%s: anybody", o.ID)
		for i, role := range rights.Roles {
			may := rights.Identity{OperatorID: "1", Grants: []rights.Grant{{Role: role}}}.May(o.Right)
			assert.Equal(t, may, row[1+i] != "no", "%s: %s", o.ID, role)
		}
	}
}
