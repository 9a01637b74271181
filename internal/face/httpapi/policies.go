package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

func viewStandings(c reporting.Counts) api.Standings {
	return api.Standings{
		InStep:  c[drift.InStep],
		Drifted: c[drift.Drifted],
		Waiting: c[drift.Waiting],
		Held:    c[drift.Held],
		Silent:  c[drift.Silent],
	}
}

// viewPolicy shows a policy without its document.
func viewPolicy(p store.Policy, problems []policy.Problem) api.Policy {
	if problems == nil {
		problems = []policy.Problem{}
	}
	return api.Policy{
		Name:      p.Name,
		Title:     p.Title,
		Source:    p.Source,
		Version:   p.Version,
		Revision:  p.Revision,
		UpdatedAt: p.UpdatedAt,
		UpdatedBy: p.UpdatedBy,
		Problems:  problems,
	}
}

func viewRevision(r store.PolicyRevision) api.Revision {
	return api.Revision{Number: r.Number, Source: r.Source, PublishedAt: r.PublishedAt, PublishedBy: r.PublishedBy}
}

func (a *routes) policiesRoutes() {
	register(a, operation.ListPolicies, a.listPolicies)
	register(a, operation.CreatePolicy, a.createPolicy)
	register(a, operation.CheckPolicy, a.checkPolicy)
	register(a, operation.DraftPolicy, a.draftPolicy)
	register(a, operation.ShowPolicy, a.showPolicy)
	register(a, operation.SavePolicy, a.savePolicy)
	register(a, operation.PublishPolicy, a.publishPolicy)
	register(a, operation.DeletePolicy, a.deletePolicy)
	register(a, operation.ListRevisions, a.listRevisions)
	register(a, operation.ShowRevision, a.showRevision)
}

func (a *routes) listPolicies(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Search string `query:"search" maxLength:"100" doc:"Part of a name or title"`
}) (*List[api.PolicySummary], error) {
	list, next, err := a.Changes.Policies(ctx, in.Search, in.page())
	if err != nil {
		return nil, err
	}
	views, err := a.summaries(ctx, who, list)
	return listOf(views, next, err, func(p api.PolicySummary) api.PolicySummary { return p })
}

func (a *routes) createPolicy(
	ctx context.Context, who rights.Identity, in *struct{ Body api.Document },
) (*WithETag[api.Policy], error) {
	p, problems, err := a.Changes.NewPolicy(ctx, who, in.Body.Source)
	return tagged(p.Version, viewPolicy(p, problems)), err
}

func (a *routes) checkPolicy(
	ctx context.Context, who rights.Identity, in *struct{ Body api.Document },
) (*struct{ Body api.PolicyCheck }, error) {
	checked, err := a.Changes.CheckPolicy(ctx, who, in.Body.Source)
	out := api.PolicyCheck{Problems: checked.Problems, Asks: checked.Asks, Exists: []api.ExistingAccount{}}
	for _, e := range checked.Exists {
		out.Exists = append(out.Exists, api.ExistingAccount(e))
	}
	return &struct{ Body api.PolicyCheck }{out}, err
}

func (a *routes) showPolicy(ctx context.Context, who rights.Identity, in *NamePath) (*WithETag[api.Policy], error) {
	p, err := a.Changes.Policy(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	checked, err := a.Changes.CheckPolicy(ctx, who, p.Source)
	return tagged(p.Version, viewPolicy(p, checked.Problems)), err
}

func (a *routes) savePolicy(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
	Body api.Document
}) (*WithETag[api.Policy], error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	p, problems, err := a.Changes.SavePolicy(ctx, who, in.Name, in.Body.Source, over)
	return tagged(p.Version, viewPolicy(p, problems)), err
}

func (a *routes) publishPolicy(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
	AtTheDoor
}) (*WithETag[api.Publication], error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	p, err := a.Changes.PublishPolicy(ctx, who, in.Name, over, in.asking())
	return tagged(p.Policy.Version, api.Publication{Policy: in.Name, Revision: p.Policy.Revision, Moved: p.Moved}), err
}

func (a *routes) listRevisions(ctx context.Context, _ rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.Revision], error) {
	list, next, err := a.Changes.PolicyRevisions(ctx, in.Name, in.page())
	return listOf(list, next, err, viewRevision)
}

func (a *routes) showRevision(ctx context.Context, _ rights.Identity, in *struct {
	NamePath
	Number int `path:"number" minimum:"1"`
}) (*struct{ Body api.Revision }, error) {
	r, err := a.Changes.PolicyRevision(ctx, in.Name, in.Number)
	return &struct{ Body api.Revision }{viewRevision(r)}, err
}

// summaries adds where each policy is used, and how the devices stand there.
func (a *routes) summaries(ctx context.Context, who rights.Identity, list []store.Policy) ([]api.PolicySummary, error) {
	standings, err := a.Reporting.StandingsByAssignment(ctx, who)
	if err != nil {
		return nil, err
	}
	used, err := a.Changes.AssignmentsByPolicy(ctx, list)
	if err != nil {
		return nil, err
	}
	views := make([]api.PolicySummary, len(list))
	for i, p := range list {
		views[i] = api.PolicySummary{
			Name:        p.Name,
			Title:       p.Title,
			Revision:    p.Revision,
			UpdatedAt:   p.UpdatedAt,
			UpdatedBy:   p.UpdatedBy,
			Assignments: []api.Assignment{},
		}
		sum := reporting.Counts{}
		for _, u := range used[p.ID] {
			views[i].Assignments = append(views[i].Assignments, viewAssignment(u))
			for standing, n := range standings[u.Name] {
				sum[standing] += n
			}
		}
		views[i].Standings = viewStandings(sum)
	}
	return views, nil
}
