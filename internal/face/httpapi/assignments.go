package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

func viewAssignment(a store.Assignment) api.Assignment {
	return api.Assignment{
		Name:     a.Name,
		Policy:   a.Policy,
		Revision: a.Revision,
		Include:  append([]string{}, a.Include...),
		Exclude:  append([]string{}, a.Exclude...),
		Within:   append([]string{}, a.Within...),
		Rank:     a.Rank,
		Stance:   a.Stance,
		Version:  a.Version,
	}
}

func aimed(aim api.Aim, name string) assign.Assignment {
	return assign.Assignment{
		Name:    name,
		Policy:  aim.Policy,
		Include: aim.Include,
		Exclude: aim.Exclude,
		Within:  aim.Within,
		Rank:    assign.Rank(aim.Rank),
		Stance:  assign.Stance(aim.Stance),
	}
}

func (a *routes) assignments() {
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/assignments",
			id:      "list-assignments",
			summary: "Assignments by rank and name",
		},
		func(ctx context.Context, _ rights.Identity, in *struct {
			PageQuery
			Policy string `query:"policy" doc:"Only those of this policy"`
		}) (*List[api.Assignment], error) {
			list, next, err := a.Changes.Assignments(ctx, in.Policy, in.page())
			return listOf(list, next, err, viewAssignment)
		},
	)
	type newAssignment struct {
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"63"`
			api.Aim
		}
	}
	register(
		a,
		rights.Deploy,
		operation{
			method:  http.MethodPost,
			path:    "/assignments",
			id:      "create-assignment",
			summary: "Assign the latest revision of a policy to groups",
			status:  http.StatusCreated,
			action:  "assignment.made",
		},
		func(ctx context.Context, who rights.Identity, in *newAssignment) (*WithETag[api.Assignment], error) {
			x, err := a.Changes.NewAssignment(ctx, who, aimed(in.Body.Aim, in.Body.Name))
			return tagged(x.Version, viewAssignment(x)), err
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/assignments/{name}",
			id:      "show-assignment",
			summary: "Show an assignment",
		},
		func(ctx context.Context, _ rights.Identity, in *NamePath) (*WithETag[api.Assignment], error) {
			x, err := a.Changes.Assignment(ctx, in.Name)
			return tagged(x.Version, viewAssignment(x)), err
		},
	)
	register(
		a,
		rights.Deploy,
		operation{
			method:  http.MethodPut,
			path:    "/assignments/{name}",
			id:      "edit-assignment",
			summary: "Edit an assignment: its policy, groups, rank or stance",
			action:  "assignment.changed",
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			IfMatch
			Body api.Aim
		}) (*WithETag[api.Assignment], error) {
			over, err := in.version()
			if err != nil {
				return nil, err
			}
			x, err := a.Changes.ChangeAssignment(ctx, who, aimed(in.Body, in.Name), over)
			return tagged(x.Version, viewAssignment(x)), err
		},
	)
	removal(
		a,
		"assignment.removed",
		"/assignments/{name}",
		"delete-assignment",
		"Delete an assignment; its devices are settled without it",
		a.Changes.RemoveAssignment,
	)
}
