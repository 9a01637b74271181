package forecast

import (
	"cmp"
	"context"
	"slices"
	"sync"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/preview"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/base/fleetview"
)

// AffectedDevice is what edits would do to one device.
type AffectedDevice struct {
	ID string
	effect.Affected
}

// VisitAffected visits the affected devices by name, after the one of a name, until visit wants no more. They are
// worked out some at a time, so that a page of a large fleet costs no more than a page.
func (f *Forecast) VisitAffected(
	ctx context.Context, from Source, after string, visit func(d AffectedDevice) bool,
) error {
	first := 0
	if after != "" {
		at, found := slices.BinarySearchFunc(f.Devices, after, func(d *fleetview.Device, name string) int {
			return cmp.Compare(d.Name, name)
		})
		if first = at; found {
			first++
		}
	}
	for first < len(f.Devices) {
		end := f.window(first)
		affected := make([]*AffectedDevice, end-first)
		if err := f.each(ctx, from, first, end, func(_, device int, known preview.Device) {
			if a := f.Device(device, known); a.Any() {
				affected[device-first] = &AffectedDevice{f.Devices[device].ID, a}
			}
		}); err != nil {
			return err
		}
		for _, a := range affected {
			if a != nil && !visit(*a) {
				return nil
			}
		}
		first = end
	}
	return nil
}

// window is the end of the next devices that are worked out together: about one batch of those that may be affected.
func (f *Forecast) window(first int) int {
	touched := 0
	for end := first; end < len(f.Devices); end++ {
		if f.Touches(end) {
			if touched++; touched > batchSize {
				return end
			}
		}
	}
	return len(f.Devices)
}

// previousSettings reads what devices were last told, each document once.
type previousSettings struct {
	from  Source
	known sync.Map // settings by digest
}

// of gives the settings of a digest; nil for no digest.
func (p *previousSettings) of(ctx context.Context, digest string) ([]unit.Setting, error) {
	if digest == "" {
		return nil, nil
	}
	if known, ok := p.known.Load(digest); ok {
		return known.([]unit.Setting), nil
	}
	content, err := p.from(ctx).Asked(digest)
	if err == nil {
		p.known.Store(digest, content.Settings)
	}
	return content.Settings, err
}
