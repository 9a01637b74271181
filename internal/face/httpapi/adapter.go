package httpapi

import (
	"bytes"
	"context"
	"crypto/tls"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/internal/kit/clientaddr"
)

// adapter lets the API description library register its operations with Fiber v3.
type adapter struct{ router fiber.Router }

// Handle registers one operation; {param} becomes :param.
func (a adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.router.Add([]string{op.Method}, path, func(c fiber.Ctx) error {
		handler(&exchange{op: op, ctx: c})
		return nil
	})
}

// ServeHTTP is asked for by the library's interface for handlers of net/http, which we have none of.
func (a adapter) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	http.Error(w, "served by Fiber only", http.StatusNotImplemented)
}

// exchange is one request and its answer.
type exchange struct {
	op     *huma.Operation
	ctx    fiber.Ctx
	status int
}

func (e *exchange) Operation() *huma.Operation { return e.op }
func (e *exchange) Context() context.Context   { return e.ctx.Context() }
func (e *exchange) Method() string             { return e.ctx.Method() }
func (e *exchange) Host() string               { return e.ctx.Hostname() }
func (e *exchange) RemoteAddr() string         { return clientaddr.Of(e.ctx) }
func (e *exchange) Header(name string) string  { return e.ctx.Get(name) }
func (e *exchange) Query(name string) string   { return e.ctx.Query(name) }
func (e *exchange) Status() int                { return e.status }
func (e *exchange) BodyReader() io.Reader      { return bytes.NewReader(e.ctx.BodyRaw()) }
func (e *exchange) BodyWriter() io.Writer      { return e.ctx }

func (e *exchange) URL() url.URL {
	u, err := url.Parse(e.ctx.OriginalURL())
	if err != nil {
		return url.URL{Path: e.ctx.Path()}
	}
	return *u
}

func (e *exchange) Param(name string) string {
	value, err := url.PathUnescape(e.ctx.Params(name))
	if err != nil {
		return e.ctx.Params(name)
	}
	return value
}

func (e *exchange) EachHeader(visit func(name, value string)) {
	for name, values := range e.ctx.GetReqHeaders() {
		for _, value := range values {
			visit(name, value)
		}
	}
}

func (e *exchange) GetMultipartForm() (*multipart.Form, error) { return e.ctx.MultipartForm() }

// SetReadDeadline does nothing: Fiber has read the body, within its own limits, before it calls us.
func (e *exchange) SetReadDeadline(time.Time) error { return nil }

func (e *exchange) SetStatus(code int) {
	e.status = code
	e.ctx.Status(code)
}

func (e *exchange) SetHeader(name, value string)    { e.ctx.Set(name, value) }
func (e *exchange) AppendHeader(name, value string) { e.ctx.Append(name, value) }

func (e *exchange) TLS() *tls.ConnectionState { return e.ctx.RequestCtx().TLSConnectionState() }

func (e *exchange) Version() huma.ProtoVersion { return huma.ProtoVersion{Proto: e.ctx.Protocol()} }
