package httpapi

import (
	"context"
	"encoding/base64"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// mostGroups is how many groups a preview counts by.
const mostGroups = 50

func viewPreview(p *changes.Preview) api.Preview {
	view := api.Preview{Fleet: p.Fleet, Devices: p.Devices, NotReported: p.Silent, Version: p.Version, Digest: p.Digest,
		Needs: append([]string{}, p.Needs...), Groups: []api.GroupCount{}}
	for _, g := range p.Groups[:min(mostGroups, len(p.Groups))] {
		view.Groups = append(view.Groups, api.GroupCount{Group: g.Name, Devices: g.Devices})
	}
	view.MoreGroups = len(p.Groups) - len(view.Groups)
	view.Sums, view.TakesAway = api.EffectSums(p.Sums)
	return view
}

func viewAffected(d forecast.AffectedDevice) api.AffectedDevice {
	return api.Affected(d.Affected, d.ID)
}

func (a *routes) previews() {
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/changes/{name}/preview",
			id:      "preview-change",
			summary: "What a change would do, by effect",
		},
		func(ctx context.Context, who rights.Identity, in *NamePath) (*struct{ Body api.Preview }, error) {
			p, err := a.Changes.PreviewChange(ctx, who, in.Name)
			if err != nil {
				return nil, err
			}
			return &struct{ Body api.Preview }{viewPreview(p)}, nil
		},
	)
	register(
		a,
		rights.Look,
		operation{
			method:  http.MethodGet,
			path:    "/changes/{name}/preview/devices",
			id:      "preview-devices",
			summary: "What a change would do, device by device",
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			PageQuery
		}) (*List[api.AffectedDevice], error) {
			after, err := base64.RawURLEncoding.DecodeString(in.Cursor)
			if err != nil {
				return nil, store.ErrCursor
			}
			list, next, err := a.Changes.AffectedDevices(ctx, who, in.Name, string(after), in.Limit)
			return listOf(list, base64.RawURLEncoding.EncodeToString([]byte(next)), err, viewAffected)
		},
	)
	register(
		a,
		rights.Draft,
		operation{
			method:  http.MethodPost,
			path:    "/preview",
			id:      "preview-edits",
			summary: "What some edits would do, without storing them",
		},
		func(ctx context.Context, who rights.Identity, in *struct {
			Body struct {
				Edits []api.ChangeEdit `json:"edits" maxItems:"500" nullable:"false"`
			}
		}) (*struct{ Body api.Preview }, error) {
			edits := make([]changes.Edit, len(in.Body.Edits))
			for i, e := range in.Body.Edits {
				edits[i] = editFrom(e)
			}
			p, err := a.Changes.PreviewEdits(ctx, who, edits)
			if err != nil {
				return nil, err
			}
			return &struct{ Body api.Preview }{viewPreview(p)}, nil
		},
	)
}
