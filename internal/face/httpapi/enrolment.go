package httpapi

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/devices"
	"rankwarden.example/internal/store"
)

// viewEnrolment shows an enrolment token without its secret, which only the answer to its creation has.
func viewEnrolment(e store.EnrolmentToken) api.EnrolmentToken {
	return api.EnrolmentToken{
		ID:        e.ID,
		Note:      e.Note,
		UsesLeft:  e.UsesLeft,
		Groups:    append([]string{}, e.Groups...),
		Path:      e.Path,
		Tags:      append([]string{}, e.Tags...),
		CreatedBy: e.CreatedBy,
		CreatedAt: e.CreatedAt,
		ExpiresAt: e.ExpiresAt,
		Revoked:   e.RevokedAt != nil,
	}
}

func (a *routes) enrolmentRoutes() {
	register(a, operation.ListEnrolmentTokens, a.listEnrolmentTokens)
	register(a, operation.CreateEnrolmentToken, a.createEnrolmentToken)
	register(a, operation.RevokeEnrolmentToken, a.revokeEnrolmentToken)
}

// enrolmentRequest is the request to create an enrolment token.
type enrolmentRequest struct {
	Body struct {
		Note           string   `json:"note,omitempty" maxLength:"200" doc:"What it is for"`
		Uses           int      `json:"uses" minimum:"1" maximum:"100000" doc:"Devices that may enrol with it"`
		ExpiresInHours int      `json:"expires_in_hours" minimum:"1" maximum:"2160"`
		Groups         []string `json:"groups,omitempty" maxItems:"50" nullable:"false"`
		Path           string   `json:"path,omitempty" maxLength:"200" doc:"Organisation fact that devices get"`
		Tags           []string `json:"tags,omitempty" maxItems:"64" nullable:"false" doc:"Organisation fact that devices get"`
	}
}

func (a *routes) listEnrolmentTokens(
	ctx context.Context, _ rights.Identity, in *PageQuery,
) (*List[api.EnrolmentToken], error) {
	list, next, err := a.Devices.EnrolmentTokens(ctx, in.page())
	return listOf(list, next, err, viewEnrolment)
}

// createEnrolmentToken answers with the secret of the token, the only time.
func (a *routes) createEnrolmentToken(
	ctx context.Context, who rights.Identity, in *enrolmentRequest,
) (*struct{ Body api.NewEnrolmentToken }, error) {
	e, token, err := a.Devices.NewEnrolmentToken(
		ctx,
		who,
		in.Body.Note,
		in.Body.Uses,
		time.Duration(in.Body.ExpiresInHours)*time.Hour,
		devices.Grants{Groups: in.Body.Groups, Path: in.Body.Path, Tags: in.Body.Tags},
	)
	return &struct{ Body api.NewEnrolmentToken }{
		api.NewEnrolmentToken{EnrolmentToken: viewEnrolment(e), Token: token.String()},
	}, err
}

func (a *routes) revokeEnrolmentToken(ctx context.Context, who rights.Identity, in *NamePath) (*Empty, error) {
	return &Empty{}, a.Devices.RevokeEnrolmentToken(ctx, who, in.Name)
}
