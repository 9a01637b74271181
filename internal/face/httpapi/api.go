// Package httpapi is the operators' interface over HTTP: routes, request and response types, the
// OpenAPI 3.1 document and problem documents. It holds no rules: it calls service.
package httpapi

import (
	"cmp"
	"context"
	"encoding/json"
	"log/slog"
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"

	"rankwarden.example/api"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/room/deploy"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/room/trail"
	"rankwarden.example/internal/store"
)

// Base is where the API lives.
const Base = "/api/v1"

// Rooms are the use cases that the API offers.
type Rooms struct {
	Organisation *organisation.Service
	Changes      *changes.Service
	Deploy       *deploy.Service
	Devices      *devices.Service
	Passwords    *passwords.Service
	Access       *access.Service
	Reporting    *reporting.Service
	Trail        *trail.Service
	Notify       *notify.Service
	View         *fleetview.View
}

// Options are what the API is made of.
type Options struct {
	Rooms
	Changed      func(ctx context.Context) // waits until the lists have everything that was committed before
	Name string // of the organisation
	Settings     []api.Setting // how the service is configured, in words
	PublicURL    string        // where people reach the console, empty for where they asked
	Interval     time.Duration // between two check-ins of a device
	Now          func() time.Time
	Hub          *notices.Hub
	Log          *slog.Logger
	Secure       bool            // the service is reached over TLS, so cookies are for TLS only
	Done         context.Context // ends streams when the service stops
}

type routes struct {
	Options
	huma    huma.API
	open    map[string]bool         // method and path of what nobody needs to be signed in for
	rights  map[string]rights.Right // by operation
	streams *streams
}

// API is the operators' interface.
type API struct{ routes *routes }

// The library has one way to make errors for the whole process. It is set before anything can be served.
func init() { huma.NewError = problem.FromLibrary }

// Mount adds the API to an app.
func Mount(app *fiber.App, o Options) *API { return &API{newAPI(app, o)} }

// SignedIn reports whether the header of a request comes from somebody who is signed in.
func (x *API) SignedIn(ctx context.Context, header *fasthttp.RequestHeader) bool {
	given := credentials{
		session: string(header.Cookie(cookieName)),
		token:   bearer(string(header.Peek(fiber.HeaderAuthorization))),
	}
	_, err := x.routes.identify(ctx, given)
	return err == nil
}

// Rights are the rights that operations need, by identifier.
func Rights() map[string]rights.Right {
	return newAPI(fiber.New(), Options{Log: slog.New(slog.DiscardHandler)}).rights
}

// Description is the OpenAPI document as JSON.
func Description() ([]byte, error) {
	return newAPI(
		fiber.New(),
		Options{Log: slog.New(slog.DiscardHandler)},
	).huma.OpenAPI().
		MarshalJSON()
}

func newAPI(app *fiber.App, o Options) *routes {
	config := huma.DefaultConfig("Rank Warden", "1")
	config.Info.Description = "The operators' interface of Rank Warden. Every list is paged: pass `next` of a page as " +
		"`cursor` to get " +
		"the one after it. What can be edited carries an ETag; send it back as If-Match. Every error is a problem document " +
		"(RFC 9457)."
	config.OpenAPIPath = Base + "/openapi"
	config.DocsPath = ""
	config.SchemasPath = Base + "/schemas"
	config.CreateHooks = nil // no $schema links in answers
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", func(t reflect.Type, hint string) string {
		if t == reflect.TypeFor[policy.Problem]() {
			return "DocumentProblem"
		}
		return huma.DefaultSchemaNamer(t, hint)
	})
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {Type: "apiKey", In: "cookie", Name: cookieName},
		"token":   {Type: "http", Scheme: "bearer"},
	}
	config.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	a := &routes{Options: o, open: map[string]bool{}, rights: map[string]rights.Right{}, streams: newStreams()}
	app.Use(Base, a.authenticate)
	a.huma = huma.NewAPI(config, adapter{app})
	a.signIn()
	a.secondFactor()
	a.passkeys()
	a.deviceGrant(app)
	a.provider(app)
	a.operators()
	a.policies()
	a.groups()
	a.assignments()
	a.changes()
	a.rollouts()
	a.brakes()
	a.freeze()
	a.waivers()
	a.ladder()
	a.enrolment()
	a.devices()
	a.directory()
	a.findings()
	a.deviceEvents()
	a.orders()
	a.passwords()
	a.watch()
	a.trail(app)
	a.notifications()
	a.keys()
	a.posture()
	a.settings()
	a.events(app)
	return a
}

// operation describes one operation; register fills in what all of them share.
type operation struct {
	method, path, id, summary string
	status                    int    // of success, 200 when 0
	action                    string // what it is called on the trail; every operation that changes something has one
	session                   bool   // only a signed-in session may, no API token
	bodyLimit                 int64  // bytes, [maxBody] when 0
}

// register adds an operation for those who have a right. Who lacks it gets no further than here.
func register[In, Out any](
	a *routes,
	right rights.Right,
	o operation,
	handle func(ctx context.Context, who rights.Identity, in *In) (*Out, error),
) {
	if right == "" || o.method != http.MethodGet && o.action == "" && !reading[o.id] {
		panic(
			"operation " + o.id + " does not say which right it needs, or what it is called on the trail",
		) // a mistake in this package, seen at every start
	}
	a.rights[o.id] = right
	op := huma.Operation{
		Method:        o.method,
		Path:          Base + o.path,
		OperationID:   o.id,
		Summary:       o.summary,
		DefaultStatus: o.status,
		Tags: []string{
			strings.SplitN(o.path, "/", 3)[1],
		},
		Errors:       []int{401, 403, 404, 409, 412, 422, 428, 429},
		MaxBodyBytes: cmp.Or(o.bodyLimit, maxBody),
	}
	if right == rights.Anybody {
		op.Security = []map[string][]string{}
		op.Errors = []int{401, 422, 429}
		a.open[o.method+" "+op.Path] = true
	}
	// The right is asked before the request is read, so that nobody learns from its errors what is there.
	op.Middlewares = huma.Middlewares{func(c huma.Context, next func(huma.Context)) {
		who := identity(c.Context())
		var err error
		switch {
		case !who.May(right):
			err = a.refuse(c, who, cmp.Or(o.action, o.id), uow.Lacking(who))
		case o.session && who.Token != "":
			err = a.refuse(
				c,
				who,
				o.action,
				refusal.New(refusal.Forbidden, "an API token may not do this; sign in with your password").
					WithCode("session_needed"),
			)
		default:
			next(c)
			return
		}
		writeProblem(c, problem.Of(a.Log, err))
	}}
	huma.Register(a.huma, op, func(ctx context.Context, in *In) (*Out, error) {
		ctx, cancel := context.WithTimeout(ctx, requestTimeout)
		defer cancel()
		out, err := handle(ctx, identity(ctx), in)
		if err != nil {
			return nil, problem.Of(a.Log, err)
		}
		if o.method != http.MethodGet && !reading[o.id] {
			a.Changed(ctx)
		}
		return out, nil
	})
}

// refuse puts a refused attempt on the trail, and gives the refusal.
func (a *routes) refuse(c huma.Context, who rights.Identity, action string, refused error) error {
	return a.Access.Refuse(c.Context(), uow.Act{Who: who, Action: action, Object: c.URL().Path}, refused)
}

// reading are operations that change nothing although they are sent with a body.
var reading = map[string]bool{"check-policy": true, "test-rule": true, "preview-edits": true, "show-ladder": true,
	"match-device-names": true}

// requestTimeout is the longest that an operation may take.
const requestTimeout = time.Minute

func writeProblem(c huma.Context, p *problem.Problem) {
	data, err := json.Marshal(p)
	if err != nil {
		return // a problem is plain text and numbers
	}
	c.SetHeader("Content-Type", problem.ContentType)
	c.SetStatus(p.Status)
	_, _ = c.BodyWriter().Write(data) // whoever asked has gone otherwise
}

const maxBody = 1 << 20 // bytes

// MaxBody is the largest request that is read at all, in bytes.
const MaxBody = 2 << 20

// MaxImport is the largest request of the paths that take whole files, in bytes.
const MaxImport = organisation.MaxLDIF

// Limit is the largest request that a path takes, in bytes.
func Limit(path string) int {
	if path == Base+"/directory/import" {
		return MaxImport
	}
	return MaxBody
}

// PageQuery is in every request for a list.
type PageQuery struct {
	Cursor string `query:"cursor" doc:"next of the page before; empty for the first page"`
	Limit  int    `query:"limit"  doc:"Most entries on the page"                          minimum:"1" maximum:"500" default:"50"`
}

func (p PageQuery) page() store.Page { return store.Page{Cursor: p.Cursor, Limit: p.Limit} }

// List is one page of a list.
type List[T any] struct {
	Body struct {
		Items []T    `json:"items" nullable:"false"`
		Next  string `json:"next" doc:"Pass it as cursor for the next page; empty on the last"`
	}
}

func listOf[R, T any](records []R, next string, err error, view func(R) T) (*List[T], error) {
	if err != nil {
		return nil, err
	}
	out := &List[T]{}
	out.Body.Items, out.Body.Next = each(records, view), next
	return out, nil
}

// each views records one by one.
func each[R, T any](records []R, view func(R) T) []T {
	list := make([]T, len(records))
	for i, r := range records {
		list[i] = view(r)
	}
	return list
}

// WithETag is an answer with an ETag.
type WithETag[T any] struct {
	ETag string `header:"ETag"`
	Body T
}

func tagged[T any](version int64, body T) *WithETag[T] {
	return &WithETag[T]{ETag: `"` + strconv.FormatInt(version, 10) + `"`, Body: body}
}

// IfMatch is in every request that edits something.
type IfMatch struct {
	IfMatch string `header:"If-Match" doc:"The ETag of what you read"`
}

// version reads If-Match.
func (m IfMatch) version() (int64, error) {
	if m.IfMatch == "" {
		return 0, problem.New(
			http.StatusPreconditionRequired,
			"an edit must say what it is based on: read it first, and send its ETag as If-Match",
		)
	}
	v, err := strconv.ParseInt(strings.Trim(strings.TrimPrefix(m.IfMatch, "W/"), `"`), 10, 64)
	if err != nil {
		return 0, problem.New(
			http.StatusPreconditionFailed,
			"If-Match holds no ETag that was given out; read what you want to edit, and send its ETag",
		)
	}
	return v, nil
}

// NamePath is in every request for one thing.
type NamePath struct {
	Name string `path:"name"`
}

// Empty is an answer without a body.
type Empty struct{}

// removal registers the removal of one thing, by whoever may deploy, of the version that its editor read.
func removal(
	a *routes,
	action, path, id, summary string,
	remove func(ctx context.Context, who rights.Identity, name string, over int64) error,
) {
	register(
		a,
		rights.Deploy,
		operation{
			method:  http.MethodDelete,
			path:    path,
			id:      id,
			summary: summary,
			status:  http.StatusNoContent,
			action:  action,
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			IfMatch
		}) (*Empty, error) {
			over, err := in.version()
			if err != nil {
				return nil, err
			}
			return &Empty{}, remove(ctx, who, in.Name, over)
		},
	)
}
