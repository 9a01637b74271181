// Package httpapi is the operators' interface over HTTP: routes, request and response types, the
// OpenAPI 3.1 document and problem documents. It holds no rules: it calls service.
package httpapi

import (
	"context"
	"encoding/json"
	"errors"
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
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/budget"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/notices"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/room/accounts"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/room/deploy"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/room/passwords"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/room/trail"
	"rankwarden.example/internal/room/warrants"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/strictjson"
)

// Base is where the API lives.
const Base = operation.Base

// Rooms are the use cases that the API offers.
type Rooms struct {
	Organisation *organisation.Service
	Accounts     *accounts.Service
	Warrants     *warrants.Service
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
	Changed   func(ctx context.Context) // waits until the lists have everything that was committed before
	Name      string                    // of the organisation
	Settings  []api.Setting             // how the service is configured, in words
	PublicURL string                    // where people reach the console, empty for where they asked
	Interval  time.Duration             // between two check-ins of a device
	Now       func() time.Time
	Hub       *notices.Hub
	Log       *slog.Logger
	Secure    bool           // the service is reached over TLS, so cookies are for TLS only
	Work      *budget.Purses // what everybody may have the service do
	Attempts  *uow.Attempts
	Done      context.Context // ends streams when the service stops
}

// routes are the handlers of the operators' interface.
type routes struct {
	Options
	app     *fiber.App
	huma    huma.API
	open    map[string]bool // method and path of what nobody needs to be signed in for
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

// newAPI describes the operators' interface and adds every route of it. Every one goes through the same middleware,
// which finds out who asks, and through register, which asks for the right.
func newAPI(app *fiber.App, o Options) *routes {
	config := huma.DefaultConfig("Rank Warden", "1")
	config.Info.Description = "The operators' interface of Rank Warden. Every list is paged: pass `next` of a page " +
		"as `cursor` to get the one after it. What can be edited carries an ETag; send it back as If-Match. Every " +
		"error is a problem document (RFC 9457)."
	config.OpenAPIPath = Base + "/openapi"
	config.DocsPath = ""
	config.SchemasPath = Base + "/schemas"
	config.CreateHooks = nil // no $schema links in answers
	config.Formats = map[string]huma.Format{}
	for name, format := range huma.DefaultFormats {
		format.Unmarshal = strictjson.Unmarshal
		config.Formats[name] = format
	}
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", func(t reflect.Type, hint string) string {
		switch t {
		case reflect.TypeFor[policy.Problem]():
			return "DocumentProblem"
		case reflect.TypeFor[api.ChangeEdit]():
			return "ChangeEdit"
		}
		return huma.DefaultSchemaNamer(t, hint)
	})
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"session": {Type: "apiKey", In: "cookie", Name: cookieName},
		"token":   {Type: "http", Scheme: "bearer"},
	}
	config.Security = []map[string][]string{{"session": {}}, {"token": {}}}
	a := &routes{Options: o, app: app, open: map[string]bool{}, streams: newStreams()}
	app.Use(Base, a.authenticate)
	a.huma = huma.NewAPI(config, adapter{app})
	a.signInRoutes()
	a.secondFactorRoutes()
	a.passkeysRoutes()
	a.deviceGrantRoutes()
	a.providerRoutes()
	a.operatorsRoutes()
	a.policiesRoutes()
	a.groupsRoutes()
	a.assignmentsRoutes()
	a.changesRoutes()
	a.rolloutsRoutes()
	a.brakesRoutes()
	a.freezeRoutes()
	a.waiversRoutes()
	a.warrantsRoutes()
	a.sheetsRoutes()
	a.ladderRoutes()
	a.enrolmentRoutes()
	a.devicesRoutes()
	a.directoryRoutes()
	a.findingsRoutes()
	a.accountsRoutes()
	a.deviceEventsRoutes()
	a.ordersRoutes()
	a.passwordsRoutes()
	a.watchRoutes()
	a.trailRoutes()
	a.notificationsRoutes()
	a.keysRoutes()
	a.postureRoutes()
	a.settingsRoutes()
	a.eventsRoutes()
	return a
}

// register adds an operation. Who lacks its right gets no further than here.
func register[In, Out any](
	a *routes, o *operation.Operation, handle func(ctx context.Context, who rights.Identity, in *In) (*Out, error),
) {
	op := a.describe(o)
	op.Errors = []int{401, 403, 404, 409, 412, 422, 428, 429}
	if o.Right == rights.Anybody {
		op.Errors = []int{401, 422, 429}
	}
	// The right is asked before the request is read, so that nobody learns from its errors what is there.
	op.Middlewares = huma.Middlewares{func(c huma.Context, next func(huma.Context)) {
		if err := a.allowed(c.Context(), o, c.URL().Path); err != nil {
			writeProblem(c, problem.Of(a.Log, err))
			return
		}
		next(c)
	}}
	huma.Register(a.huma, op, func(ctx context.Context, in *In) (*Out, error) {
		ctx, cancel := context.WithTimeout(ctx, o.Budget.Time)
		defer cancel()
		out, err := handle(ctx, identity(ctx), in)
		if err != nil {
			return nil, a.problemOf(ctx, err)
		}
		if o.Changes() {
			a.Changed(ctx)
		}
		return out, nil
	})
}

// problemOf is the problem of a refusal. One that asks for a look has what would be done with it, and one that has
// something wait shows it in the lists.
func (a *routes) problemOf(ctx context.Context, err error) *problem.Problem {
	p := problem.Of(a.Log, err)
	var refused *refusal.Error
	if !errors.As(err, &refused) {
		return p
	}
	if seen, is := refused.Preview.(*changes.Preview); is {
		p.Preview = new(viewPreview(seen))
	}
	if p.Waits = refused.Waits; p.Waits != "" {
		a.Changed(ctx)
	}
	return p
}

// raw adds an operation that answers by itself: a stream, a page of a browser, or what another standard says.
func (a *routes) raw(o *operation.Operation, described func(*huma.Operation), handle fiber.Handler) {
	op := a.describe(o)
	described(&op)
	a.huma.OpenAPI().AddOperation(&op)
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.app.Add([]string{o.Method}, path, func(c fiber.Ctx) error {
		if err := a.allowed(c.Context(), o, c.Path()); err != nil {
			return problem.Send(c, problem.Of(a.Log, err))
		}
		return handle(c)
	})
}

// describe begins the description of an operation, and lets it through without a session where anybody may call it.
func (a *routes) describe(o *operation.Operation) huma.Operation {
	op := huma.Operation{
		Method: o.Method, Path: o.Pattern(), OperationID: o.ID, Summary: o.Summary, DefaultStatus: o.Status,
		Tags: []string{strings.SplitN(o.Path, "/", 3)[1]}, MaxBodyBytes: o.Budget.Body,
	}
	if o.Right == rights.Anybody {
		op.Security = []map[string][]string{}
		a.open[o.Method+" "+op.Path] = true
	}
	return op
}

// allowed refuses a caller without the right to an operation, or with an API token where only a session may.
func (a *routes) allowed(ctx context.Context, o *operation.Operation, path string) error {
	who := identity(ctx)
	if who.OperatorID != "" {
		if again, ok := a.Work.Spend(who.OperatorID, o.Budget.Work); !ok {
			return a.Attempts.TooMany(who, o.Name(), again)
		}
	}
	switch {
	case !who.May(o.Right):
		return a.Access.Refuse(ctx, uow.ByOperator(o, who, path), uow.Lacking(who))
	case (o.SessionOnly || o.Decides) && who.Token != "":
		return a.Access.Refuse(ctx, uow.ByOperator(o, who, path), refusal.New(refusal.Forbidden,
			"an API token may not do this; sign in with your password").WithCode("session_needed"))
	case o.Decides && !who.Fresh(a.Access.Now()):
		return a.Access.Refuse(ctx, uow.ByOperator(o, who, path), refusal.New(refusal.Forbidden,
			"sign in again: whoever agrees to something, or refuses it, has signed in within the last 15 minutes").
			WithCode("sign_in_again"))
	}
	return nil
}

func writeProblem(c huma.Context, p *problem.Problem) {
	data, err := json.Marshal(p)
	if err != nil {
		return // a problem is plain text and numbers
	}
	c.SetHeader("Content-Type", problem.ContentType)
	c.SetStatus(p.Status)
	_, _ = c.BodyWriter().Write(data) // whoever asked has gone otherwise
}

// MaxBody is the largest request that is read at all, in bytes.
const MaxBody = 2 << 20

// MaxImport is the largest request of the paths that take whole files, in bytes.
var MaxImport = int(operation.File.Body)

// Limit is the largest request that a path takes, in bytes.
func Limit(path string) int {
	if path == operation.ImportDirectory.Pattern() {
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

// removalRequest is the request to remove something that is in force.
type removalRequest struct {
	NamePath
	IfMatch
	AtTheDoor
}

// AtTheDoor is in every request that may alter what devices are told.
type AtTheDoor struct {
	Seen   string `query:"seen" maxLength:"100" doc:"Digest of the preview you have seen; needed where it gives, takes or moves a way in, or alters much"`
	Reason string `query:"reason" maxLength:"2000" doc:"Why; needed where it gives, takes or moves a way in"`
}

func (d AtTheDoor) asking() changes.Asking { return changes.Asking{Seen: d.Seen, Reason: d.Reason} }

// removal handles the removal of one thing.
func removal(
	remove func(ctx context.Context, who rights.Identity, name string, over int64, asking changes.Asking) error,
) func(context.Context, rights.Identity, *removalRequest) (*Empty, error) {
	return func(ctx context.Context, who rights.Identity, in *removalRequest) (*Empty, error) {
		over, err := in.version()
		if err != nil {
			return nil, err
		}
		return &Empty{}, remove(ctx, who, in.Name, over, in.asking())
	}
}
