package scenario

import (
	"cmp"
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/text"
)

type device struct {
	Name        string   `json:"name"         yaml:"name"`
	Platform    string   `json:"platform"     yaml:"platform"`
	OSVersion   string   `json:"os_version"   yaml:"os_version"`
	OSBuild     int      `json:"os_build"     yaml:"os_build"`
	Model       string   `json:"model"        yaml:"model"`
	Serial      string   `json:"serial"       yaml:"serial"`
	Path        string   `json:"path"         yaml:"path"`
	Tags        []string `json:"tags"         yaml:"tags"`
	PrimaryUser string   `json:"primary_user" yaml:"primary_user"`
	UserGroups  []string `json:"user_groups"  yaml:"user_groups"`
	Reported    *report  `json:"reported"     yaml:"reported"`
}

// devices are those of a scenario as it is read, a few words each: there may be a million.
type devices struct {
	facts   []fleet.Facts
	reports map[string]*drift.Report // by the name of the device
	words   map[string]string        // values that many have, each once
}

// mostWords bounds the values that are kept once.
const mostWords = 10_000

// word is a text, the same for all that have it.
func (d *devices) word(s string) string {
	if known, there := d.words[s]; there {
		return known
	}
	if d.words == nil {
		d.words = map[string]string{}
	}
	if len(d.words) < mostWords {
		d.words[s] = s
	}
	return s
}

func (d *devices) add(x device) {
	for i := range x.Tags {
		x.Tags[i] = d.word(x.Tags[i])
	}
	d.facts = append(d.facts, fleet.Facts{
		Name: x.Name, Platform: d.word(x.Platform), OSVersion: d.word(x.OSVersion), OSBuild: x.OSBuild,
		Model: d.word(x.Model), Serial: x.Serial, Path: d.word(x.Path), Tags: x.Tags, PrimaryUser: x.PrimaryUser,
		UserGroups: x.UserGroups,
	})
	if x.Reported != nil {
		if d.reports == nil {
			d.reports = map[string]*drift.Report{}
		}
		d.reports[x.Name] = (*drift.Report)(x.Reported)
	}
}

// devices are sorted by name.
func (f *file) devices(s *Scenario) error {
	for _, d := range f.Devices {
		f.listed.add(d)
	}
	s.Devices = f.listed.facts
	byName := func(a, b fleet.Facts) int { return cmp.Compare(a.Name, b.Name) }
	if !slices.IsSortedFunc(s.Devices, byName) {
		slices.SortStableFunc(s.Devices, byName)
	}
	for i, d := range s.Devices {
		if err := text.CheckVisible(d.Name); d.Name == "" || err != nil {
			return fail("devices", "%q cannot name a device", d.Name)
		}
		if i > 0 && s.Devices[i-1].Name == d.Name {
			return fail("devices", "two devices are called %q; give one another name", d.Name)
		}
		if report := f.listed.reports[d.Name]; report != nil {
			s.Reports[i] = report
		}
	}
	return nil
}
