package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/core/policy"
	"rankwarden.example/internal/auth"
	"rankwarden.example/internal/service"
	"rankwarden.example/internal/store"
)

func viewEntry(e store.DirectoryEntry) DirectoryEntry {
	out := DirectoryEntry{Ref: e.Ref, Kind: e.Kind, Name: e.Name, Title: e.Title, SID: e.SID, DN: e.DN, Source: e.Source, UpdatedAt: e.UpdatedAt, GoneAt: e.GoneAt}
	if e.GUID != nil {
		out.GUID = *e.GUID
	}
	return out
}

// maxSkipped is how many of those passed over are named in an answer.
const maxSkipped = 100

func viewChange(c service.DirectoryChange) DirectoryChange {
	out := DirectoryChange{Entries: c.Entries, Added: c.Added, Changed: c.Changed, Removed: c.Removed, Skipped: []DirectorySkipped{}}
	for _, s := range c.Skipped[:min(len(c.Skipped), maxSkipped)] {
		out.Skipped = append(out.Skipped, DirectorySkipped(s))
	}
	return out
}

func (a *api) directory() {
	register(a, auth.Look, operation{method: http.MethodGet, path: "/directory", id: "list-directory", summary: "People and groups of the directory, by any part of a name"},
		func(ctx context.Context, _ auth.Identity, in *struct {
			Paged
			Search string `query:"search" maxLength:"100" doc:"Words; each must be part of a name or title"`
			Kind   string `query:"kind" enum:",user,group"`
		}) (*List[DirectoryEntry], error) {
			list, next, err := a.Service.Directory(ctx, in.Search, in.Kind, in.page())
			return listOf(list, next, err, viewEntry)
		})
	type ldifRequest struct {
		Replace bool   `query:"replace" doc:"Remove what an earlier import brought and this one lacks"`
		Accept  bool   `query:"accept" doc:"Also when many lack that policies in force name"`
		RawBody []byte `contentType:"text/plain"`
	}
	register(a, auth.Administer, operation{method: http.MethodPost, path: "/directory/import", id: "import-directory", summary: "Take people and groups from an LDIF file (RFC 2849)", bodyLimit: service.MaxLDIF, action: "directory.imported"},
		func(ctx context.Context, who auth.Identity, in *ldifRequest) (*struct{ Body DirectoryChange }, error) {
			c, err := a.Service.ImportDirectory(ctx, who, in.RawBody, in.Replace, in.Accept)
			return &struct{ Body DirectoryChange }{viewChange(c)}, err
		})
	register(a, auth.Look, operation{method: http.MethodGet, path: "/directory/connection", id: "directory-connection", summary: "The connection to a directory and its last run"},
		func(ctx context.Context, _ auth.Identity, _ *struct{}) (*struct{ Body DirectoryState }, error) {
			run, ever, err := a.Service.DirectoryState(ctx)
			out := DirectoryState{Connected: a.Service.DirectoryConnection != nil, Entries: run.Entries, Added: run.Added, Changed: run.Changed, Removed: run.Removed, Losing: run.Losing, Error: run.Error}
			if ever {
				out.StartedAt, out.EndedAt = &run.StartedAt, run.EndedAt
			}
			return &struct{ Body DirectoryState }{out}, err
		})
	register(a, auth.Administer, operation{method: http.MethodPost, path: "/directory/connection/run", id: "read-directory", summary: "Read the directory over the connection now", action: "directory.read"},
		func(ctx context.Context, _ auth.Identity, in *struct {
			Accept bool `query:"accept" doc:"Also when many lack that policies in force name"`
		}) (*struct{ Body DirectoryChange }, error) {
			c, err := a.Service.SyncDirectory(ctx, in.Accept)
			return &struct{ Body DirectoryChange }{viewChange(c)}, err
		})
	register(a, auth.Administer, operation{method: http.MethodPost, path: "/directory/let-go", id: "let-go-directory", summary: "Let go of a person or group that vanished from the directory", status: http.StatusNoContent, action: "directory.let_go"},
		func(ctx context.Context, who auth.Identity, in *struct {
			Body struct {
				Ref string `json:"ref" minLength:"1" maxLength:"500"`
			}
		}) (*Empty, error) {
			return &Empty{}, a.Service.LetGo(ctx, who, in.Body.Ref)
		})
	type factsRequest struct {
		Body struct {
			Devices []Facts `json:"devices" minItems:"1" maxItems:"5000" nullable:"false"`
		}
	}
	register(a, auth.Administer, operation{method: http.MethodPost, path: "/device-facts", id: "set-device-facts", summary: "Set organisation facts of devices, all or none", status: http.StatusNoContent, action: "device.facts_set"},
		func(ctx context.Context, who auth.Identity, in *factsRequest) (*Empty, error) {
			edits := make([]service.OrganisationFacts, len(in.Body.Devices))
			for i, f := range in.Body.Devices {
				edits[i] = service.OrganisationFacts(f)
			}
			return &Empty{}, a.Service.SetFacts(ctx, who, edits)
		})
	register(a, auth.Anybody, operation{method: http.MethodGet, path: "/policy-schema.json", id: "policy-schema", summary: "JSON Schema (2020-12) of policy documents"},
		func(context.Context, auth.Identity, *struct{}) (*struct {
			ContentType string `header:"Content-Type"`
			Body        []byte
		}, error) {
			return &struct {
				ContentType string `header:"Content-Type"`
				Body        []byte
			}{"application/schema+json", policy.Schema}, nil
		})
}
