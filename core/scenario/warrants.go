package scenario

import (
	"fmt"
	"time"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

// warrantFile is a warrant as it is written.
type warrantFile struct {
	Principal  string   `json:"principal"   yaml:"principal"`
	LocalGroup string   `json:"local_group" yaml:"local_group"`
	Devices    []string `json:"devices"     yaml:"devices"`
	From       string   `json:"from"        yaml:"from"`
	Until      string   `json:"until"       yaml:"until"`
	Despite    bool     `json:"despite"     yaml:"despite"`
}

// Warrant is a warrant of the file for one device.
type Warrant struct {
	warrant.Warrant
	Until string // as it was written
}

// WarrantOn is a warrant that runs on a device, and what it does to what the enforced lane settled.
type WarrantOn struct {
	Unit      unit.ID        `json:"unit"`
	Principal principal.Ref  `json:"principal"`
	Until     string         `json:"until"` // as it was written
	Effect    warrant.Effect `json:"effect"`
}

func (f *file) warrants(s *Scenario) error {
	if len(f.Warrants) > 0 && f.At == nil {
		return fail("at", `warrants hold for a time, so the file says when: add "at:" with a time such as `+
			`2031-03-04T06:12:09Z`)
	}
	index := indexes(s)
	s.Warrants = map[int][]Warrant{}
	for i, w := range f.Warrants {
		where := fmt.Sprintf("warrants[%d]", i)
		made, err := w.build(where, s.Directory)
		if err != nil {
			return err
		}
		if len(w.Devices) == 0 {
			return fail(where+".devices", "a warrant names its devices")
		}
		listed := map[int]bool{}
		for _, name := range w.Devices {
			device, known := index[name]
			if !known {
				return fail(where+".devices", "there is no device %q in the file", name)
			}
			if !listed[device] {
				s.Warrants[device] = append(s.Warrants[device], made)
			}
			listed[device] = true
		}
	}
	return nil
}

func (w *warrantFile) build(where string, directory principal.Directory) (made Warrant, err error) {
	ref, err := principal.Parse(w.Principal)
	if err != nil {
		return made, &Error{where + ".principal", err}
	}
	if !warrant.CanHold(ref) {
		return made, fail(where+".principal",
			"%s cannot have a warrant; name a user:, group:, sid: or local: principal", ref)
	}
	made.Principal = principal.Normal(ref, directory)
	name := w.LocalGroup
	if name == "" {
		name = unit.GroupAdministrators
	}
	if err := text.CheckName(name, principal.MaxLocalName); err != nil {
		return made, fail(where+".local_group", "%q cannot name a local group: %w", name, err)
	}
	made.Unit = unit.MembershipOf(text.Fold(name))
	if w.From != "" {
		if made.From, err = time.Parse(time.RFC3339, w.From); err != nil {
			return made, noTime(where+".from", w.From)
		}
	}
	made.Until = w.Until
	if made.Warrant.Until, err = time.Parse(time.RFC3339, w.Until); err != nil {
		return made, noTime(where+".until", w.Until)
	}
	if !made.Warrant.Until.After(made.From) {
		return made, fail(where+".until", "%s is not after its beginning, %s", w.Until, w.From)
	}
	made.Despite = w.Despite
	return made, nil
}

func noTime(where, written string) error {
	return fail(where, "%q is not a time; write one such as 2031-03-04T08:00:00Z", written)
}

// running is what runs on a device at the time of the scenario.
func (s *Scenario) running(device int) warrant.Running {
	of := s.Warrants[device]
	if len(of) == 0 {
		return nil
	}
	list := make([]warrant.Warrant, len(of))
	for i, w := range of {
		list[i] = w.Warrant
	}
	return warrant.At(list, *s.At)
}

// on is what runs on a device, and what it does to a lane.
func (s *Scenario) on(device int, running warrant.Running, lane *resolve.Lane) (list []WarrantOn) {
	for _, h := range running {
		list = append(list, WarrantOn{h.Unit, h.Principal, s.Warrants[device][h.Of].Until, h.On(lane.Value(h.Unit))})
	}
	return list
}

// laid is what findings are taken against: what a lane settled, with what runs laid over it.
func laid(running warrant.Running, lane *resolve.Lane) []unit.Setting {
	return running.Over(lane.Settings(), lane.Contests)
}
