package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// viewEntry shows a person or group of the directory.
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

// viewDirectoryChange says what an import altered, or would.
func viewDirectoryChange(c changes.DirectoryChange) api.DirectoryChange {
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

func (a *routes) directoryRoutes() {
	register(a, operation.ListDirectory, a.listDirectory)
	register(a, operation.DirectoryLetters, a.directoryLetters)
	register(a, operation.ImportDirectory, a.importDirectory)
	register(a, operation.DirectoryConnection, a.directoryConnection)
	register(a, operation.ReadDirectory, a.readDirectory)
	register(a, operation.DeleteDirectoryEntry, a.deleteDirectoryEntry)
	register(a, operation.SetDeviceFacts, a.setDeviceFacts)
	register(a, operation.TryDeviceFacts, a.tryDeviceFacts)
	register(a, operation.MatchDeviceNames, a.matchDeviceNames)
	register(a, operation.PolicySchema, a.policySchema)
}

// ldifRequest carries a file of the directory (RFC 2849) as it is.
type ldifRequest struct {
	AtTheDoor
	Replace bool   `query:"replace" doc:"Remove what an earlier import brought and this one lacks"`
	Accept  bool   `query:"accept"  doc:"Also when many lack that policies in force name"`
	RawBody []byte `                                                                               contentType:"text/plain"`
}

// factsBody names organisation facts of many devices.
type factsBody struct {
	Devices []api.Facts `json:"devices" minItems:"1" maxItems:"5000" nullable:"false"`
}

func (b factsBody) edits() []changes.Facts {
	edits := make([]changes.Facts, len(b.Devices))
	for i, f := range b.Devices {
		edits[i] = changes.Facts{Device: f.Device, Path: f.Path, Tags: f.Tags, PrimaryUser: f.PrimaryUser}
	}
	return edits
}

// factsRequest carries organisation facts of many devices.
type factsRequest struct {
	AtTheDoor
	Body factsBody
}

func (a *routes) listDirectory(ctx context.Context, _ rights.Identity, in *struct {
	PageQuery
	Search string `query:"search" maxLength:"100" doc:"Words; each must be part of a name or title"`
	Kind   string `query:"kind" enum:",user,group"`
}) (*List[api.DirectoryEntry], error) {
	list, next, err := a.Organisation.Directory(ctx, in.Search, in.Kind, in.page())
	return listOf(list, next, err, viewEntry)
}

func (a *routes) importDirectory(
	ctx context.Context, who rights.Identity, in *ldifRequest,
) (*struct{ Body api.DirectoryChange }, error) {
	c, err := a.Changes.ImportDirectory(ctx, who, in.RawBody, in.Replace, in.Accept, in.asking())
	return &struct{ Body api.DirectoryChange }{viewDirectoryChange(c)}, err
}

func (a *routes) directoryLetters(ctx context.Context, _ rights.Identity, _ *struct{}) (*List[api.Letters], error) {
	list, err := a.Changes.Letters(ctx)
	return listOf(list, "", err, func(e store.DirectoryEntry) api.Letters {
		return api.Letters{Ref: e.Ref, Name: e.Name}
	})
}

// directoryConnection says whether a directory is connected, and how its last run ended.
func (a *routes) directoryConnection(
	ctx context.Context, _ rights.Identity, _ *struct{},
) (*struct{ Body api.DirectoryState }, error) {
	run, ever, err := a.Organisation.DirectoryState(ctx)
	out := api.DirectoryState{
		Connected: a.Changes.DirectoryConnection != nil,
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
}

func (a *routes) readDirectory(ctx context.Context, _ rights.Identity, in *struct {
	Accept bool `query:"accept" doc:"Also when many lack that policies in force name"`
}) (*struct{ Body api.DirectoryChange }, error) {
	c, err := a.Changes.SyncDirectory(ctx, in.Accept)
	return &struct{ Body api.DirectoryChange }{viewDirectoryChange(c)}, err
}

func (a *routes) deleteDirectoryEntry(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Ref string `json:"ref" minLength:"1" maxLength:"500"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Changes.LetGo(ctx, who, in.Body.Ref)
}

func (a *routes) setDeviceFacts(ctx context.Context, who rights.Identity, in *factsRequest) (*Empty, error) {
	return &Empty{}, a.Changes.SetFacts(ctx, who, in.Body.edits(), in.asking())
}

func (a *routes) tryDeviceFacts(ctx context.Context, who rights.Identity, in *struct{ Body factsBody }) (*struct {
	Body api.FactsTrial
}, error) {
	t, err := a.Changes.TryFacts(ctx, who, in.Body.edits())
	out := api.FactsTrial{Altered: []api.Altered{}, Devices: t.Devices, Unknown: t.Unknown, Groups: []api.Shift{}}
	for _, of := range t.Altered {
		out.Altered = append(out.Altered, api.Altered(of))
	}
	for _, g := range t.Groups {
		out.Groups = append(out.Groups, api.Shift(g))
	}
	return &struct{ Body api.FactsTrial }{out}, err
}

func (a *routes) matchDeviceNames(_ context.Context, who rights.Identity, in *struct {
	Body struct {
		Names []string `json:"names" maxItems:"20000" nullable:"false"`
	}
}) (*struct{ Body api.NameMatch }, error) {
	enrolled, unknown, err := a.Organisation.Match(who, in.Body.Names)
	return &struct{ Body api.NameMatch }{api.NameMatch{Enrolled: enrolled, Unknown: unknown}}, err
}

func (a *routes) policySchema(context.Context, rights.Identity, *struct{}) (*struct {
	ContentType string `header:"Content-Type"`
	Body        []byte
}, error) {
	return &struct {
		ContentType string `header:"Content-Type"`
		Body        []byte
	}{"application/schema+json", policy.Schema}, nil
}
