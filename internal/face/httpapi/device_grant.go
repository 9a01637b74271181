package httpapi

import (
	"context"
	"errors"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gofiber/fiber/v3"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/face/problem"
	"rankwarden.example/internal/kit/clientaddr"
	"rankwarden.example/internal/room/access"
)

// grantType is that of RFC 8628.
const grantType = "urn:ietf:params:oauth:grant-type:device_code"

// CodePath is in every request for a program that waits.
type CodePath struct {
	Code string `path:"code" maxLength:"20" doc:"That the program shows"`
}

// deviceGrantRoutes registers how a program without a browser gets a token (RFC 8628): it speaks as OAuth does, in
// forms, and a person decides in the console.
func (a *routes) deviceGrantRoutes() {
	a.raw(operation.AskForToken, describeForm, a.askForToken)
	a.raw(operation.TakeToken, describeForm, a.takeToken)
	register(a, operation.ShowDeviceGrant, a.showDeviceGrant)
	register(a, operation.DecideDeviceGrant, a.decideDeviceGrant)
}

func (a *routes) showDeviceGrant(
	ctx context.Context, _ rights.Identity, in *CodePath,
) (*struct{ Body api.DeviceGrant }, error) {
	g, err := a.Access.Grant(ctx, in.Code)
	return &struct{ Body api.DeviceGrant }{api.DeviceGrant{
		Code: g.UserCode, Program: g.Program, Address: g.Address, Hours: g.Hours, CreatedAt: g.CreatedAt,
		ExpiresAt: g.ExpiresAt,
	}}, err
}

func (a *routes) decideDeviceGrant(ctx context.Context, who rights.Identity, in *struct {
	CodePath
	Body struct {
		Approve bool `json:"approve"`
	}
}) (*Empty, error) {
	return &Empty{}, a.Access.DecideGrant(ctx, who, in.Code, in.Body.Approve)
}

// describeForm describes an operation that is called with a form.
func describeForm(o *huma.Operation) {
	o.Tags = []string{"sign-in"}
	o.RequestBody = &huma.RequestBody{Content: map[string]*huma.MediaType{
		"application/x-www-form-urlencoded": {Schema: &huma.Schema{Type: huma.TypeObject}},
	}}
	o.Responses = map[string]*huma.Response{
		"200": {Description: "As the standard has it"}, "400": {Description: "An error of the standard, in error"},
	}
}

// refuseForm answers as RFC 6749, 5.2, has it.
func refuseForm(c fiber.Ctx, name, description string) error {
	return c.Status(http.StatusBadRequest).JSON(fiber.Map{"error": name, "error_description": description})
}

// The lives of a token that a program may ask for, in hours.
const (
	usualHours = 12
	mostHours  = 24 * 366
)

// askForToken begins a device authorization grant (RFC 8628, section 3.1). Whoever asks is not signed in, so how
// many an address may have under way is bounded.
func (a *routes) askForToken(c fiber.Ctx) error {
	program, hours := c.FormValue("program", "a program"), usualHours
	if given := c.FormValue("hours"); given != "" {
		n, err := strconv.Atoi(given)
		if err != nil || n < 1 || n > mostHours {
			return refuseForm(c, "invalid_request", "hours must be a number from 1 to 8784")
		}
		hours = n
	}
	if len(program) > 100 {
		return refuseForm(c, "invalid_request", "program must be at most 100 characters")
	}
	made, err := a.Access.AskForToken(c.Context(), program, clientaddr.Of(c), hours)
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	page := a.base(c) + "/allow"
	return c.JSON(fiber.Map{
		"device_code": made.DeviceCode, "user_code": made.UserCode, "verification_uri": page,
		"verification_uri_complete": page + "?code=" + made.UserCode, "expires_in": int(made.Life / time.Second),
		"interval": int(access.GrantInterval / time.Second),
	})
}

// takeToken answers the polling of a program (RFC 8628, section 3.4). Its errors are those of the RFC, not problem
// documents, since standard clients read them.
func (a *routes) takeToken(c fiber.Ctx) error {
	if given := c.FormValue("grant_type"); given != grantType {
		return refuseForm(c, "unsupported_grant_type", "grant_type must be "+grantType)
	}
	token, secret, err := a.Access.TakeToken(c.Context(), c.FormValue("device_code"), clientaddr.Of(c))
	for _, polling := range []error{access.ErrPending, access.ErrSlowDown, access.ErrExpired, access.ErrDenied} {
		if errors.Is(err, polling) {
			return refuseForm(c, polling.Error(), "")
		}
	}
	if err != nil {
		return problem.Send(c, problem.Of(a.Log, err))
	}
	return c.JSON(fiber.Map{
		"access_token": secret, "token_type": "Bearer",
		"expires_in": int(token.ExpiresAt.Sub(token.CreatedAt) / time.Second),
		"token_id":   token.ID,
	})
}
