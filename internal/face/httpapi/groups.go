package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/store"
)

func viewGroup(g store.Group) api.Group {
	return api.Group{Name: g.Name, Description: g.Description, Rule: g.Rule, Version: g.Version}
}

func (a *routes) groupsRoutes() {
	register(a, operation.ListGroups, a.listGroups)
	register(a, operation.CreateGroup, a.createGroup)
	register(a, operation.ShowGroup, a.showGroup)
	register(a, operation.ListGroupDevices, a.listGroupDevices)
	register(a, operation.EditGroup, a.editGroup)
	register(a, operation.TestRule, a.testRule)
	register(a, operation.DeleteGroup, removal(a.Changes.RemoveGroup))
}

// newGroup is the request to create a group.
type newGroup struct {
	AtTheDoor
	Body struct {
		Name        string   `json:"name" minLength:"1" maxLength:"63"`
		Description string   `json:"description,omitempty" maxLength:"500"`
		Devices     []string `json:"devices,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices, enrolled or not yet"`
		Rule        string   `json:"rule,omitempty" maxLength:"4096" doc:"Expression over device facts, instead of a list"`
	}
}

// groupChange is the request to edit a group. What is left out stays.
type groupChange struct {
	NamePath
	AtTheDoor
	IfMatch
	Body struct {
		Description *string  `json:"description,omitempty" maxLength:"500"`
		Rule        *string  `json:"rule,omitempty" maxLength:"4096" doc:"A new rule, for a group by rule"`
		Add         []string `json:"add,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices to put in"`
		Remove      []string `json:"remove,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices to take out"`
	}
}

// ruleRequest carries a rule that is to be tried.
type ruleRequest struct {
	Body struct {
		Rule string `json:"rule" maxLength:"4096"`
	}
}

func (a *routes) listGroups(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	Search string `query:"search" maxLength:"100" doc:"Part of a name"`
}) (*List[api.GroupSummary], error) {
	list, next, err := a.Organisation.Groups(ctx, who, in.Search, in.page())
	return listOf(list, next, err, func(g organisation.GroupSummary) api.GroupSummary {
		return api.GroupSummary{Group: viewGroup(g.Group), Listed: g.Listed, Enrolled: g.Enrolled}
	})
}

func (a *routes) createGroup(ctx context.Context, who rights.Identity, in *newGroup) (*WithETag[api.Group], error) {
	g, err := a.Changes.AddGroup(ctx, who, in.Body.Name, devicegroups.Spec{
		Description: in.Body.Description,
		Devices:     in.Body.Devices,
		Rule:        in.Body.Rule,
	}, in.asking())
	return tagged(g.Version, viewGroup(g)), err
}

func (a *routes) showGroup(ctx context.Context, _ rights.Identity, in *NamePath) (*WithETag[api.Group], error) {
	g, err := a.Organisation.Group(ctx, in.Name)
	return tagged(g.Version, viewGroup(g)), err
}

func (a *routes) listGroupDevices(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.GroupMember], error) {
	list, next, err := a.Organisation.GroupMembers(ctx, who, in.Name, in.page())
	return listOf(list, next, err, func(m store.GroupMember) api.GroupMember {
		return api.GroupMember{Device: m.Name, DeviceID: m.Device, Certain: m.Certain}
	})
}

// editGroup answers with the group as it is now. An edit that waits at the brake is a problem that says so.
func (a *routes) editGroup(ctx context.Context, who rights.Identity, in *groupChange) (*WithETag[api.Group], error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	g, err := a.Changes.ChangeGroup(
		ctx,
		who,
		in.Name,
		devicegroups.Edit{
			Description: in.Body.Description,
			Rule:        in.Body.Rule,
			Add:         in.Body.Add,
			Remove:      in.Body.Remove,
		},
		over,
		in.asking(),
	)
	return tagged(g.Version, viewGroup(g)), err
}

func (a *routes) testRule(
	ctx context.Context, who rights.Identity, in *ruleRequest,
) (*struct{ Body api.RuleTrial }, error) {
	t, err := a.Organisation.TryRule(ctx, who, in.Body.Rule)
	return &struct{ Body api.RuleTrial }{api.RuleTrial(t)}, err
}
