package httpapi

import (
	"bufio"
	"context"
	"encoding/csv"
	"encoding/hex"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/supervise"
	"rankwarden.example/internal/room/trail"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// TrailQuery narrows the trail.
type TrailQuery struct {
	Actor   string    `query:"actor" maxLength:"100" doc:"Who did it"`
	Action  string    `query:"action" maxLength:"100" doc:"One action, such as policy.published, or a family of them, such as policy"`
	On      string    `query:"on" maxLength:"200" doc:"What it was done to, by its whole name"`
	Device  string    `query:"device" maxLength:"100" doc:"Identifier or name of a device: what was done to it, and what it did"`
	Outcome string    `query:"outcome" enum:"done,refused"`
	Since   time.Time `query:"since" doc:"Not before this time"`
	Until   time.Time `query:"until" doc:"Before this time"`
}

func (q TrailQuery) query() trail.Query {
	return trail.Query{Actor: q.Actor, Action: q.Action, On: q.On, Device: q.Device, Outcome: audit.Outcome(q.Outcome),
		Since: q.Since, Until: q.Until}
}

// viewTrailEntry shows an entry in words, with what was before and after.
func viewTrailEntry(e trail.Entry) api.TrailEntry {
	view := api.TrailEntry{
		Seq:         e.Seq,
		At:          e.At,
		Actor:       e.Actor,
		Address:     e.Address,
		Action:      e.Action,
		Object:      e.Object,
		Device:      e.Device,
		Reason:      e.Reason,
		Outcome:     string(e.Outcome),
		Differences: []api.TrailDifference{},
		Hash:        hex.EncodeToString(e.Hash),
	}
	for _, d := range audit.Differences(e.Before, e.After) {
		view.Differences = append(view.Differences, api.TrailDifference{Path: d.Path, Before: d.Before, After: d.After})
	}
	return view
}

func viewCheckpoint(c store.Checkpoint) api.Checkpoint {
	return api.Checkpoint{
		Seq:        c.Seq,
		At:         c.At,
		Hash:       hex.EncodeToString(c.Hash),
		MadeBy:     c.MadeBy,
		Checkpoint: c.Document,
		KeyList:    c.KeyList,
	}
}

func (a *routes) trailRoutes() {
	register(a, operation.ListTrail, a.listTrail)
	register(a, operation.TrailEntry, a.trailEntry)
	register(a, operation.ListCheckpoints, a.listCheckpoints)
	register(a, operation.MakeCheckpoint, a.makeCheckpoint)
	register(a, operation.CheckTrail, a.checkTrail)
	a.raw(operation.ExportTrail, describeExport, a.exportTrail)
}

func (a *routes) listTrail(ctx context.Context, _ rights.Identity, in *struct {
	PageQuery
	TrailQuery
}) (*List[api.TrailEntry], error) {
	list, next, err := a.Trail.List(ctx, in.query(), in.page())
	return listOf(list, next, err, viewTrailEntry)
}

func (a *routes) trailEntry(ctx context.Context, _ rights.Identity, in *struct {
	Seq int64 `path:"seq"`
}) (*struct{ Body api.TrailEntry }, error) {
	e, err := a.Trail.Entry(ctx, in.Seq)
	return &struct{ Body api.TrailEntry }{viewTrailEntry(e)}, err
}

func (a *routes) listCheckpoints(ctx context.Context, _ rights.Identity, in *PageQuery) (*List[api.Checkpoint], error) {
	list, next, err := a.Trail.Checkpoints(ctx, in.page())
	return listOf(list, next, err, viewCheckpoint)
}

func (a *routes) makeCheckpoint(
	ctx context.Context, who rights.Identity, _ *struct{},
) (*struct{ Body api.Checkpoint }, error) {
	c, err := a.Trail.Anchor(ctx, who)
	return &struct{ Body api.Checkpoint }{viewCheckpoint(c)}, err
}

func (a *routes) checkTrail(ctx context.Context, _ rights.Identity, in *struct {
	After int64 `query:"after" minimum:"0" doc:"Behind this entry; 0 for from the first"`
}) (*struct{ Body api.TrailCheck }, error) {
	c, err := a.Trail.Check(ctx, in.After)
	view := api.TrailCheck{Last: c.Last, Head: c.Head, Anchored: c.Anchored}
	if c.Broken != nil {
		view.Broken, view.Why = c.Broken.Seq, c.Broken.Why
	}
	return &struct{ Body api.TrailCheck }{view}, err
}

const (
	jsonLines = "application/jsonl"
	csvText   = "text/csv"
)

// describeExport adds the export to the description of the interface. It is a stream, which the library cannot
// describe.
func describeExport(o *huma.Operation) {
	parameter := func(name, doc string) *huma.Param {
		return &huma.Param{Name: name, In: "query", Description: doc, Schema: &huma.Schema{Type: huma.TypeString}}
	}
	o.Parameters = []*huma.Param{
		parameter("format", "jsonl, which is JSON lines with checkpoints, or csv"),
		parameter("actor", "Who did it"),
		parameter("action", "One action, or a family of them"),
		parameter("on", "What it was done to"),
		parameter("device", "Identifier or name of a device"),
		parameter("outcome", "done or refused"),
		parameter("since", "Not before this time (RFC 3339)"),
		parameter("until", "Before this time (RFC 3339)"),
	}
	o.Responses = map[string]*huma.Response{"200": {Description: "A stream", Content: map[string]*huma.MediaType{
		jsonLines: {
			Schema: &huma.Schema{Type: huma.TypeString},
		}, csvText: {Schema: &huma.Schema{Type: huma.TypeString}},
	}}}
}

// exportTrail serves the trail as it is written, for as long as it takes.
func (a *routes) exportTrail(c fiber.Ctx) error {
	who := identity(c.Context())
	q, format, err := exportQuery(c)
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	export, err := a.Trail.BeginExport(c.Context(), who, q)
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	if !a.streams.begin(who.OperatorID) {
		return problem.Send(
			c,
			problem.New(http.StatusTooManyRequests, "too many streams are open; close some, and try again").
				Later(30*time.Second),
		)
	}
	name := "trail-" + a.Now().UTC().Format("20060102-150405")
	kind, ending := jsonLines, ".jsonl"
	if format == "csv" {
		kind, ending = csvText+"; charset=utf-8", ".csv"
	}
	c.Set(fiber.HeaderContentType, kind)
	c.Set(fiber.HeaderContentDisposition, `attachment; filename="`+name+ending+`"`)
	c.Set(fiber.HeaderCacheControl, "no-store")
	return c.SendStreamWriter(func(w *bufio.Writer) {
		defer a.streams.end(who.OperatorID)
		defer supervise.Recover(a.Log, "an export of the trail")
		if err := a.writeTrail(w, export, format); err != nil {
			a.Log.Warn("an export of the trail ended early", "error", err)
		}
	})
}

// writeTrail writes an export; whoever reads it sees by its end that it is whole.
func (a *routes) writeTrail(w *bufio.Writer, export *trail.Export, format string) error {
	if format == "csv" {
		table := csv.NewWriter(w)
		if err := table.Write(audit.CSVHead); err != nil {
			return err
		}
		_, err := export.Write(a.Done, trail.Sink{Entry: func(e audit.Entry) error { return audit.WriteCSV(table, e) }})
		table.Flush()
		return err
	}
	n, err := export.Write(a.Done, trail.Sink{
		Entry: func(e audit.Entry) error { return audit.WriteEntry(w, e) },
		Proof: func(p audit.Proof) error { return audit.WriteProof(w, p) },
	})
	if err != nil {
		return err
	}
	return audit.WriteEnd(w, n)
}

// exportQuery reads what is to be exported.
func exportQuery(c fiber.Ctx) (q trail.Query, format string, err error) {
	format = c.Query("format", "jsonl")
	if format != "jsonl" && format != "csv" {
		return q, "", refusal.New(refusal.Invalid, "the format %q is not known; write jsonl or csv", format).
			At("format").
			Asked()
	}
	q = trail.Query{Actor: c.Query("actor"), Action: c.Query("action"), On: c.Query("on"), Device: c.Query("device"),
		Outcome: audit.Outcome(c.Query("outcome"))}
	for name, at := range map[string]*time.Time{"since": &q.Since, "until": &q.Until} {
		if given := c.Query(name); given != "" {
			if *at, err = time.Parse(time.RFC3339, given); err != nil {
				return q, "", refusal.New(refusal.Invalid, "%q is no time such as 2026-11-27T08:00:00Z", given).
					At(name).
					Asked()
			}
		}
	}
	return q, format, nil
}
