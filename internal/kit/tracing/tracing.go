// Package tracing sends what the service does, and how long it takes, to a collector of traces (OpenTelemetry, OTLP
// over HTTP). Spans name operations, routes and outcomes, and nothing that people wrote.
package tracing

import (
	"context"
	"fmt"
	"net/url"

	"github.com/gofiber/fiber/v3"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/trace"

	"rankwarden.example/internal/kit/version"
)

// Tracer is what every part of the service makes its spans with; without [Start] it makes none.
func Tracer() trace.Tracer { return otel.Tracer("rankwarden") }

// Start sends spans to the collector at a URL, such as http://127.0.0.1:4318, until stop is called, which sends what is
// left.
func Start(ctx context.Context, endpoint string) (stop func(context.Context) error, err error) {
	u, err := url.Parse(endpoint)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return nil, fmt.Errorf("traces %q must be the URL of a collector, such as http://127.0.0.1:4318", endpoint)
	}
	exporter, err := otlptracehttp.New(ctx, otlptracehttp.WithEndpointURL(u.JoinPath("v1", "traces").String()))
	if err != nil {
		return nil, fmt.Errorf("traces: %w", err)
	}
	provider := sdktrace.NewTracerProvider(sdktrace.WithBatcher(exporter), sdktrace.WithResource(resource.NewSchemaless(
		attribute.String("service.name", "rankwarden"), attribute.String("service.version", version.Number()),
	)))
	otel.SetTracerProvider(provider)
	otel.SetTextMapPropagator(propagation.TraceContext{})
	return provider.Shutdown, nil
}

// Requests makes a span of each request (semantic conventions for HTTP). It is a handler of Fiber.
func Requests(c fiber.Ctx) error {
	carrier := propagation.MapCarrier{"traceparent": c.Get("traceparent")}
	ctx, span := Tracer().Start(otel.GetTextMapPropagator().Extract(c.Context(), carrier), c.Method(),
		trace.WithSpanKind(trace.SpanKindServer))
	defer span.End()
	c.SetContext(ctx)
	err := c.Next()
	status := c.Response().StatusCode()
	// The route names no device and no person; the path might.
	route := c.Route().Path
	span.SetName(c.Method() + " " + route)
	span.SetAttributes(attribute.String("http.request.method", c.Method()), attribute.String("http.route", route),
		attribute.Int("http.response.status_code", status))
	if status >= 500 {
		span.SetStatus(codes.Error, "")
	}
	return err
}

// Failed says on a span that it failed, without saying how: errors name devices and people.
func Failed(span trace.Span, err error) {
	if err != nil {
		span.SetStatus(codes.Error, "")
	}
}
