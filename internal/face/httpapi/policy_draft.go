package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/draft"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/present"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/changes"
)

func viewDraft(d draft.Draft) api.PolicyDraft {
	out := api.PolicyDraft{Devices: d.Devices, Silent: d.Silent, Settings: []api.DraftSetting{},
		NotKept: []api.DraftNotKept{}, Unwritten: d.Unwritten}
	if d.Document != nil {
		out.Source = string(policy.Write(d.Document, nil))
	}
	for _, s := range d.Settings {
		out.Settings = append(out.Settings, api.DraftSetting{Unit: s.Unit.String(), Title: present.Unit(s.Unit),
			Words: present.Value(s.Unit, s.Value), Devices: s.Devices, Other: s.Other, Drafted: s.Drafted})
	}
	for _, n := range d.NotKept {
		out.NotKept = append(out.NotKept, api.DraftNotKept{Unit: n.Unit.String(), Title: present.Unit(n.Unit),
			Member: n.Member.String(), Devices: n.Devices})
	}
	return out
}

func (a *routes) deletePolicy(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
}) (*Empty, error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	return &Empty{}, a.Changes.DeletePolicy(ctx, who, in.Name, over)
}

func (a *routes) draftPolicy(
	ctx context.Context, who rights.Identity, in *struct{ Body api.DraftRequest },
) (*struct{ Body api.PolicyDraft }, error) {
	tolerance := changes.DefaultTolerance
	if in.Body.Tolerance != nil {
		tolerance = *in.Body.Tolerance
	}
	d, err := a.Changes.DraftPolicy(ctx, who, in.Body.Group, in.Body.Name, tolerance)
	return &struct{ Body api.PolicyDraft }{viewDraft(d)}, err
}
