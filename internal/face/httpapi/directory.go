package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/store"
)

func viewEntry(e store.DirectoryEntry) api.DirectoryEntry {
	out := api.DirectoryEntry{
		Ref:       e.Ref,
		Kind:      e.Kind,
		Name:      e.Name,
		Title:     e.Title,
		SID:       e.SID,
		DN:        e.DN,
		Source:    e.Source,
		UpdatedAt: e.UpdatedAt,
		GoneAt:    e.GoneAt,
	}
	if e.GUID != nil {
		out.GUID = *e.GUID
	}
	return out
}

// maxSkipped is how many of those passed over are named in an answer.
const maxSkipped = 100

func viewDirectoryChange(c organisation.DirectoryChange) api.DirectoryChange {
	out := api.DirectoryChange{
		Entries: c.Entries,
		Added:   c.Added,
		Changed: c.Changed,
		Removed: c.Removed,
		Skipped: []api.SkippedEntry{},
	}
	for _, s := range c.Skipped[:min(len(c.Skipped), maxSkipped)] {
		out.Skipped = append(out.Skipped, api.SkippedEntry(s))
	}
	return out
}

func (a *routes) directory() {
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/directory",
			id:      "list-directory",
			summary: "People and groups of the directory, by any part of a name",
		},
		func(ctx context.Context, _ rights.Identity, in *struct {
			PageQuery
			Search string `query:"search" maxLength:"100" doc:"Words; each must be part of a name or title"`
			Kind   string `query:"kind" enum:",user,group"`
		}) (*List[api.DirectoryEntry], error) {
			list, next, err := a.Organisation.Directory(ctx, in.Search, in.Kind, in.page())
			return listOf(list, next, err, viewEntry)
		},
	)
	type ldifRequest struct {
		Replace bool   `query:"replace" doc:"Remove what an earlier import brought and this one lacks"`
		Accept  bool   `query:"accept"  doc:"Also when many lack that policies in force name"`
		RawBody []byte `                                                                               contentType:"text/plain"`
	}
	register(
		a,
		rights.Administer,
		operation{
			method:    http.MethodPost,
			path:      "/directory/import",
			id:        "import-directory",
			summary:   "Import people and groups from an LDIF file (RFC 2849)",
			bodyLimit: organisation.MaxLDIF,
			action:    "directory.imported",
		},
		func(ctx context.Context, who rights.Identity, in *ldifRequest) (*struct{ Body api.DirectoryChange }, error) {
			c, err := a.Organisation.ImportDirectory(ctx, who, in.RawBody, in.Replace, in.Accept)
			return &struct{ Body api.DirectoryChange }{viewDirectoryChange(c)}, err
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/directory/connection",
			id:      "directory-connection",
			summary: "The connection to a directory and its last run",
		},
		func(ctx context.Context, _ rights.Identity, _ *struct{}) (*struct{ Body api.DirectoryState }, error) {
			run, ever, err := a.Organisation.DirectoryState(ctx)
			out := api.DirectoryState{
				Connected: a.Organisation.DirectoryConnection != nil,
				Entries:   run.Entries,
				Added:     run.Added,
				Changed:   run.Changed,
				Removed:   run.Removed,
				Losing:    run.Losing,
				Altering:  run.Altering,
				Error:     run.Error,
			}
			if ever {
				out.StartedAt, out.EndedAt = &run.StartedAt, run.EndedAt
			}
			return &struct{ Body api.DirectoryState }{out}, err
		},
	)
	register(
		a,
		rights.Administer,
		operation{
			method:  http.MethodPost,
			path:    "/directory/connection/run",
			id:      "read-directory",
			summary: "Read the directory over the connection now",
			action:  "directory.read",
		},
		func(ctx context.Context, _ rights.Identity, in *struct {
			Accept bool `query:"accept" doc:"Also when many lack that policies in force name"`
		}) (*struct{ Body api.DirectoryChange }, error) {
			c, err := a.Organisation.SyncDirectory(ctx, in.Accept)
			return &struct{ Body api.DirectoryChange }{viewDirectoryChange(c)}, err
		},
	)
	register(
		a,
		rights.Administer,
		operation{
			method:  http.MethodPost,
			path:    "/directory/let-go",
			id:      "delete-directory-entry",
			summary: "Delete a person or group that vanished from the directory",
			status:  http.StatusNoContent,
			action:  "directory.let_go",
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			Body struct {
				Ref string `json:"ref" minLength:"1" maxLength:"500"`
			}
		}) (*Empty, error) {
			return &Empty{}, a.Organisation.LetGo(ctx, who, in.Body.Ref)
		},
	)
	type factsRequest struct {
		Body struct {
			Devices []api.Facts `json:"devices" minItems:"1" maxItems:"5000" nullable:"false"`
		}
	}
	register(
		a,
		rights.Administer,
		operation{
			method:  http.MethodPost,
			path:    "/device-facts",
			id:      "set-device-facts",
			summary: "Set organisation facts of devices, all or none",
			status:  http.StatusNoContent,
			action:  "device.facts_set",
		},
		func(ctx context.Context, who rights.Identity, in *factsRequest) (*Empty, error) {
			edits := make([]organisation.Facts, len(in.Body.Devices))
			for i, f := range in.Body.Devices {
				edits[i] = organisation.Facts(f)
			}
			return &Empty{}, a.Organisation.SetFacts(ctx, who, edits)
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodPost,
			path:    "/device-names",
			id:      "match-device-names",
			summary: "Which of some names are those of devices",
		},
		func(_ context.Context, who rights.Identity, in *struct {
			Body struct {
				Names []string `json:"names" maxItems:"20000" nullable:"false"`
			}
		}) (*struct{ Body api.NameMatch }, error) {
			enrolled, unknown, err := a.Organisation.Match(who, in.Body.Names)
			return &struct{ Body api.NameMatch }{api.NameMatch{Enrolled: enrolled, Unknown: unknown}}, err
		},
	)
	register(
		a,
		rights.Anybody,
		operation{
			method:  http.MethodGet,
			path:    "/policy-schema.json",
			id:      "policy-schema",
			summary: "JSON Schema (2020-12) of policy documents",
		},
		func(context.Context, rights.Identity, *struct{}) (*struct {
			ContentType string `header:"Content-Type"`
			Body        []byte
		}, error) {
			return &struct {
				ContentType string `header:"Content-Type"`
				Body        []byte
			}{"application/schema+json", policy.Schema}, nil
		},
	)
}
