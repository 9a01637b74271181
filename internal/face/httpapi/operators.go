package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
)

func viewRoles(grants []rights.Grant) []api.Role {
	roles := make([]api.Role, len(grants))
	for i, g := range grants {
		roles[i] = api.Role{Role: string(g.Role), Groups: append([]string{}, g.Groups...)}
	}
	return roles
}

func grantsOf(roles []api.Role) []rights.Grant {
	grants := make([]rights.Grant, len(roles))
	for i, r := range roles {
		grants[i] = rights.Grant{Role: rights.Role(r.Role), Groups: append([]string{}, r.Groups...)}
	}
	return grants
}

func viewOperator(o store.Operator) api.Operator {
	view := api.Operator{Name: o.Name, Roles: viewRoles(o.Grants), Disabled: o.DisabledAt != nil,
		Sealed:     o.SealedAt != nil,
		AtProvider: o.Issuer != "", CreatedAt: o.CreatedAt, Rights: []api.OperatorRight{}}
	who := rights.Identity{OperatorID: o.ID, Grants: o.Grants}
	for _, right := range who.Rights() {
		view.Rights = append(view.Rights, api.OperatorRight{Right: string(right),
			Groups: append([]string{}, who.Reach(right).Groups()...)})
	}
	return view
}

func viewToken(t store.APIToken) api.Token {
	return api.Token{
		ID:        t.ID,
		Name:      t.Name,
		Operator:  t.Operator,
		Role:      t.Role,
		Roles:     viewRoles(t.Grants),
		CreatedAt: t.CreatedAt,
		ExpiresAt: t.ExpiresAt,
		Revoked:   t.RevokedAt != nil,
	}
}

func (a *routes) operatorsRoutes() {
	register(a, operation.ListRoles, a.listRoles)
	register(a, operation.ListOperators, a.listOperators)
	register(a, operation.CreateOperator, a.createOperator)
	register(a, operation.EditOperator, a.editOperator)
	register(a, operation.ListTokens, a.listTokens)
	register(a, operation.CreateToken, a.createToken)
	register(a, operation.RevokeToken, a.revokeToken)
}

// newOperator is the request to create an operator.
type newOperator struct {
	Body struct {
		Name     string     `json:"name" minLength:"1" maxLength:"63"`
		Password string     `json:"password" minLength:"1" maxLength:"1024" doc:"At least 12 characters"`
		Roles    []api.Role `json:"roles" minItems:"1" maxItems:"6" nullable:"false"`
	}
}

// operatorChange is the request to edit an operator. What is left out stays.
type operatorChange struct {
	NamePath
	Body struct {
		Roles    []api.Role `json:"roles,omitempty" maxItems:"6" nullable:"false"`
		Password *string    `json:"password,omitempty" minLength:"1" maxLength:"1024"`
		Disabled *bool      `json:"disabled,omitempty"`
		Factor   bool       `json:"reset_second_factor,omitempty" doc:"Take their second factor away, when they have lost it"`
	}
}

// tokenRequest is the request to create an API token for oneself.
type tokenRequest struct {
	Body struct {
		Name           string `json:"name" minLength:"1" maxLength:"100" doc:"What it is for"`
		Role           string `json:"role,omitempty" enum:"viewer,requester,support,author,deployer,auditor,owner" doc:"All that you may do when left out"`
		ExpiresInHours int    `json:"expires_in_hours" minimum:"1" maximum:"8784"`
	}
}

func (a *routes) listOperators(ctx context.Context, _ rights.Identity, in *PageQuery) (*List[api.Operator], error) {
	list, next, err := a.Access.Operators(ctx, in.page())
	return listOf(list, next, err, viewOperator)
}

func (a *routes) listRoles(context.Context, rights.Identity, *struct{}) (*List[api.RoleRights], error) {
	return listOf(rights.Roles, "", nil, func(r rights.Role) api.RoleRights {
		return api.RoleRights{
			Role: string(r), Everywhere: r.AlwaysEverywhere(),
			Rights: each(r.Rights(), func(right rights.Right) string { return string(right) }),
		}
	})
}

func (a *routes) createOperator(
	ctx context.Context, who rights.Identity, in *newOperator,
) (*struct{ Body api.Operator }, error) {
	o, err := a.Access.AddOperator(ctx, who, in.Body.Name, in.Body.Password, grantsOf(in.Body.Roles))
	return &struct{ Body api.Operator }{viewOperator(o)}, err
}

func (a *routes) editOperator(
	ctx context.Context, who rights.Identity, in *operatorChange,
) (*struct{ Body api.Operator }, error) {
	var grants []rights.Grant
	if in.Body.Roles != nil {
		grants = grantsOf(in.Body.Roles)
	}
	o, err := a.Access.ChangeOperator(ctx, who, in.Name, access.OperatorChange{
		Grants: grants, Password: in.Body.Password, Disabled: in.Body.Disabled, ResetFactor: in.Body.Factor,
	})
	return &struct{ Body api.Operator }{viewOperator(o)}, err
}

func (a *routes) listTokens(ctx context.Context, who rights.Identity, in *struct {
	PageQuery
	All bool `query:"all" doc:"Everybody's, for owners"`
}) (*List[api.Token], error) {
	list, next, err := a.Access.APITokens(ctx, who, in.All, in.page())
	return listOf(list, next, err, viewToken)
}

func (a *routes) createToken(
	ctx context.Context, who rights.Identity, in *tokenRequest,
) (*struct{ Body api.NewToken }, error) {
	t, secret, err := a.Access.NewAPIToken(
		ctx,
		who,
		in.Body.Name,
		rights.Role(in.Body.Role),
		time.Duration(in.Body.ExpiresInHours)*time.Hour,
	)
	return &struct{ Body api.NewToken }{api.NewToken{Token: viewToken(t), Secret: secret}}, err
}

func (a *routes) revokeToken(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	return &Empty{}, a.Access.RevokeAPIToken(ctx, who, in.Name)
}
