package httpapi

import (
	"context"
	"encoding/base64"

	"rankwarden.example/api"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/forecast"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// mostGroups is how many groups a preview counts by.
const mostGroups = 50

func viewPreview(p *changes.Preview) api.Preview {
	view := api.Preview{Fleet: p.Fleet, Devices: p.Devices, NotReported: p.Silent, Version: p.Version, Digest: p.Digest,
		Needs: append([]string{}, p.Needs...), Part: p.Part, Groups: []api.GroupCount{}, Ways: []api.WayIn{}}
	for _, kind := range effect.Accesses {
		for _, e := range p.Access.Effects() {
			if e.Access == kind {
				way := api.WayIn{Effect: string(kind), Words: present.WayIn(e), Anyone: p.Access[e][effect.Anyone],
					Devices: len(p.Access[e])}
				if way.Anyone {
					way.Devices--
				}
				view.Ways = append(view.Ways, way)
			}
		}
	}
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
	register(a, operation.PreviewChange, a.previewChange)
	register(a, operation.PreviewDevices, a.previewDevices)
	register(a, operation.PreviewEdits, a.previewEdits)
	register(a, operation.WhatIf, a.whatIf)
}

func (a *routes) previewChange(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.Preview }, error) {
	p, err := a.Changes.PreviewChange(ctx, who, in.Name)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.Preview }{viewPreview(p)}, nil
}

func (a *routes) previewDevices(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.AffectedDevice], error) {
	after, err := base64.RawURLEncoding.DecodeString(in.Cursor)
	if err != nil {
		return nil, store.ErrCursor
	}
	list, next, err := a.Changes.AffectedDevices(ctx, who, in.Name, string(after), in.Limit)
	return listOf(list, base64.RawURLEncoding.EncodeToString([]byte(next)), err, viewAffected)
}

func (a *routes) previewEdits(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Edits []api.ChangeEdit `json:"edits" maxItems:"500" nullable:"false"`
	}
}) (*struct{ Body api.Preview }, error) {
	p, err := a.Changes.PreviewEdits(ctx, who, in.Body.Edits)
	if err != nil {
		return nil, err
	}
	return &struct{ Body api.Preview }{viewPreview(p)}, nil
}
