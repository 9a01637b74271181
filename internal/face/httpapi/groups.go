package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/room/organisation"
	"rankwarden.example/internal/store"
)

func viewGroup(g store.Group) api.Group {
	return api.Group{Name: g.Name, Description: g.Description, Rule: g.Rule, Version: g.Version}
}

func (a *routes) groups() {
	register(
		a,
		rights.Look,
		operation{method: http.MethodGet, path: "/groups", id: "list-groups", summary: "Groups by name"},
		func(ctx context.Context, who rights.Identity, in *struct {
			PageQuery
			Search string `query:"search" maxLength:"100" doc:"Part of a name"`
		}) (*List[api.GroupSummary], error) {
			list, next, err := a.Organisation.Groups(ctx, who, in.Search, in.page())
			return listOf(list, next, err, func(g organisation.GroupSummary) api.GroupSummary {
				return api.GroupSummary{Group: viewGroup(g.Group), Listed: g.Listed, Enrolled: g.Enrolled}
			})
		},
	)
	type newGroup struct {
		Body struct {
			Name        string   `json:"name" minLength:"1" maxLength:"63"`
			Description string   `json:"description,omitempty" maxLength:"500"`
			Devices     []string `json:"devices,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices, enrolled or not yet"`
			Rule        string   `json:"rule,omitempty" maxLength:"4096" doc:"Expression over device facts, instead of a list"`
		}
	}
	register(
		a,
		rights.Deploy,
		operation{
			method:  http.MethodPost,
			path:    "/groups",
			id:      "create-group",
			summary: "Create a group, listed or by a rule",
			status:  http.StatusCreated,
			action:  "group.made",
		},
		func(ctx context.Context, who rights.Identity, in *newGroup) (*WithETag[api.Group], error) {
			g, err := a.Organisation.AddGroup(
				ctx,
				who,
				devicegroups.Spec{
					Name:        in.Body.Name,
					Description: in.Body.Description,
					Devices:     in.Body.Devices,
					Rule:        in.Body.Rule,
				},
			)
			return tagged(g.Version, viewGroup(g)), err
		},
	)
	register(
		a,
		rights.Look,
		operation{method: http.MethodGet, path: "/groups/{name}", id: "show-group", summary: "Show a group"},
		func(ctx context.Context, _ rights.Identity, in *NamePath) (*WithETag[api.Group], error) {
			g, err := a.Organisation.Group(ctx, in.Name)
			return tagged(g.Version, viewGroup(g)), err
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/groups/{name}/devices",
			id:      "list-group-devices",
			summary: "Names in a group",
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			PageQuery
		}) (*List[api.GroupMember], error) {
			list, next, err := a.Organisation.GroupMembers(ctx, who, in.Name, in.page())
			return listOf(list, next, err, func(m store.GroupMember) api.GroupMember {
				return api.GroupMember{Device: m.Name, DeviceID: m.Device, Certain: m.Certain}
			})
		},
	)
	type groupChange struct {
		NamePath
		IfMatch
		Body struct {
			Description *string  `json:"description,omitempty" maxLength:"500"`
			Rule        *string  `json:"rule,omitempty" maxLength:"4096" doc:"A new rule, for a group by rule"`
			Add         []string `json:"add,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices to put in"`
			Remove      []string `json:"remove,omitempty" maxItems:"5000" nullable:"false" doc:"Names of devices to take out"`
		}
	}
	register(
		a,
		rights.Deploy,
		operation{
			method:  http.MethodPatch,
			path:    "/groups/{name}",
			id:      "edit-group",
			summary: "Edit a group: add or remove devices, change its rule or description",
			action:  "group.changed",
		},
		func(ctx context.Context, who rights.Identity, in *groupChange) (*WithETag[api.Group], error) {
			over, err := in.version()
			if err != nil {
				return nil, err
			}
			g, err := a.Organisation.ChangeGroup(
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
			)
			return tagged(g.Version, viewGroup(g)), err
		},
	)
	type ruleRequest struct {
		Body struct {
			Rule string `json:"rule" maxLength:"4096"`
		}
	}
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodPost,
			path:    "/rule-trial",
			id:      "test-rule",
			summary: "Test a rule: list the devices that it would match, without saving it",
		},
		func(ctx context.Context, who rights.Identity, in *ruleRequest) (*struct{ Body api.RuleTrial }, error) {
			t, err := a.Organisation.TryRule(ctx, who, in.Body.Rule)
			return &struct{ Body api.RuleTrial }{api.RuleTrial(t)}, err
		},
	)
	removal(
		a,
		"group.removed",
		"/groups/{name}",
		"delete-group",
		"Delete a group that no assignment names",
		a.Organisation.RemoveGroup,
	)
}
