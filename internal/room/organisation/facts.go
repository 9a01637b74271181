package organisation

import (
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/planning"
)

// Match says which of some names are those of live devices in reach.
func (s *Service) Match(who rights.Identity, names []string) (enrolled int, unknown []string, err error) {
	keys, err := devicegroups.DeviceKeys(names, planning.MaxGroupDevices)
	if err != nil {
		return 0, nil, err
	}
	live := map[string]bool{}
	for _, d := range s.View.Devices(who.Reach(rights.Look)) {
		live[d.NameKey] = true
		for _, name := range d.Former {
			live[name] = true
		}
	}
	unknown = []string{}
	for i, key := range keys {
		if live[key] {
			enrolled++
		} else {
			unknown = append(unknown, names[i])
		}
	}
	return enrolled, unknown, nil
}
