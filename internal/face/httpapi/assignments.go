package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/assign"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/store"
)

// viewAssignment gives lists as [] where they are empty, never as null.
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

func assignmentFrom(aim api.Aim, name string) assign.Assignment {
	x := assign.Assignment(aim)
	x.Name = name
	return x
}

func (a *routes) assignmentsRoutes() {
	register(a, operation.ListAssignments, a.listAssignments)
	register(a, operation.CreateAssignment, a.createAssignment)
	register(a, operation.ShowAssignment, a.showAssignment)
	register(a, operation.EditAssignment, a.editAssignment)
	register(a, operation.DeleteAssignment, removal(a.Changes.RemoveAssignment))
}

// newAssignment is the request to create an assignment.
type newAssignment struct {
	AtTheDoor
	Body struct {
		Name string `json:"name" minLength:"1" maxLength:"63"`
		api.Aim
	}
}

func (a *routes) listAssignments(ctx context.Context, _ rights.Identity, in *struct {
	PageQuery
	Policy string `query:"policy" doc:"Only those of this policy"`
}) (*List[api.Assignment], error) {
	list, next, err := a.Changes.Assignments(ctx, in.Policy, in.page())
	return listOf(list, next, err, viewAssignment)
}

func (a *routes) createAssignment(
	ctx context.Context, who rights.Identity, in *newAssignment,
) (*WithETag[api.Assignment], error) {
	x, err := a.Changes.NewAssignment(ctx, who, assignmentFrom(in.Body.Aim, in.Body.Name), in.asking())
	return tagged(x.Version, viewAssignment(x)), err
}

func (a *routes) showAssignment(
	ctx context.Context, _ rights.Identity, in *NamePath,
) (*WithETag[api.Assignment], error) {
	x, err := a.Changes.Assignment(ctx, in.Name)
	return tagged(x.Version, viewAssignment(x)), err
}

func (a *routes) editAssignment(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
	AtTheDoor
	Body api.Aim
}) (*WithETag[api.Assignment], error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	x, err := a.Changes.ChangeAssignment(ctx, who, assignmentFrom(in.Body, in.Name), over, in.asking())
	return tagged(x.Version, viewAssignment(x)), err
}
