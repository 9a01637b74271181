package reporting

import (
	"context"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/store"
)

// DeviceFilter narrows a list of devices. Empty fields do not.
type DeviceFilter struct {
	Search   string // as of [fleetview.Filter]
	Standing drift.Standing
	Group    string
	State    string // live when empty
	Unknown  string // "some" with accounts that no policy manages, "privileged" where one can take the device over
}

func (s *Service) filter(ctx context.Context, who rights.Identity, f DeviceFilter) (fleetview.Filter, error) {
	return fleetview.Filter{
		Reach:    who.Reach(rights.Look),
		Search:   f.Search,
		Standing: f.Standing,
		Group:    f.Group,
		State:    f.State,
		Unknown:  f.Unknown,
	}, devicegroups.Asked(s.Read(ctx), f.Group)
}

// Devices lists a page by name.
func (s *Service) Devices(
	ctx context.Context, who rights.Identity, f DeviceFilter, p store.Page,
) ([]store.Device, string, error) {
	filter, err := s.filter(ctx, who, f)
	if err != nil {
		return nil, "", err
	}
	after, err := p.After()
	if err != nil {
		return nil, "", err
	}
	ids := s.View.Page(s.Clock(), filter, after.NameKey, after.ID, p.Fits()+1)
	list, err := s.Read(ctx).DevicesByID(s.Clock(), ids)
	page, next := store.CutDevices(p, list)
	return page, next, err
}

// CountDevices counts devices by standing.
func (s *Service) CountDevices(ctx context.Context, who rights.Identity, f DeviceFilter) (Counts, error) {
	filter, err := s.filter(ctx, who, f)
	if err != nil {
		return nil, err
	}
	return s.View.Count(s.Clock(), filter), nil
}

// Device finds one by identifier or name.
func (s *Service) Device(ctx context.Context, who rights.Identity, idOrName string) (store.Device, error) {
	return reach.Visible(s.Read(ctx), s.Clock(), who, idOrName)
}
