// Package demo is Skerry Line, an invented ferry operator on invented islands: its policies, groups,
// assignments and devices, and the people who interfere with them.
package demo

import (
	"embed"
	"fmt"
	"io/fs"
	"path"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/fleetsim"
	"rankwarden.example/internal/wire"
)

//go:embed policies/*.yaml assignments.yaml
var files embed.FS

// Organisation is the name of the invented organisation.
const Organisation = "Skerry Line"

// Owner is the name of the demo's first operator.
const Owner = "harbourmaster"

// Assignment aims a policy at groups.
type Assignment struct {
	Name    string   `yaml:"name"`
	Policy  string   `yaml:"policy"`
	Include []string `yaml:"include"`
	Exclude []string `yaml:"exclude"`
	Rank    int      `yaml:"rank"`
}

// Policies are the documents, by file name.
func Policies() ([]string, error) {
	names, err := fs.Glob(files, "policies/*.yaml")
	if err != nil {
		return nil, fmt.Errorf("demo policies: %w", err)
	}
	sources := make([]string, len(names))
	for i, name := range names {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil, fmt.Errorf("demo policy %s: %w", path.Base(name), err)
		}
		sources[i] = string(data)
	}
	return sources, nil
}

// Assignments are who gets what.
func Assignments() ([]Assignment, error) {
	data, err := files.ReadFile("assignments.yaml")
	if err != nil {
		return nil, fmt.Errorf("demo assignments: %w", err)
	}
	var list []Assignment
	if err := yaml.Unmarshal(data, &list); err != nil {
		return nil, fmt.Errorf("demo assignments: %w", err)
	}
	return list, nil
}

type kind struct{ code, group, words, model string }

var kinds = []kind{
	{"TKT", "ticket-desks", "Ticket desks at the harbours", "Counter Compact 3"},
	{"BRG", "bridge-consoles", "Bridge consoles on ships", "Marine Panel 15"},
	{"HBR", "harbour-offices", "Harbour offices", "Office Tower 2"},
	{"WKS", "workshop-laptops", "Workshop laptops", "Toughbook 14"},
	{"HQ", "head-office", "Head office", "Office Tower 2"},
	{"INF", "passenger-screens", "Passenger information screens", "Signage Box"},
}

// pattern is the mix of kinds, repeated for as many devices as are wanted.
var pattern = []int{0, 1, 0, 2, 0, 3, 0, 4, 0, 1, 0, 2, 5, 3, 0, 4, 1, 2, 3, 5}

var harbours = []string{"kirkness", "stromvoe", "hallay", "burrafirth", "northwick"}

// Group is a listed group.
type Group struct {
	Name, Description string
	Devices           []string
}

// Fleet is the devices of the demo and the groups that they are in.
type Fleet struct {
	Machines []simulated.Machine
	Groups   []Group
}

// Identifiers of people and groups in the invented directory.
var (
	fleetSupport   = directory(1201)
	stromvoeOffice = directory(1310)
	northwickTeam  = directory(1350)
	workshopLeads  = directory(1402)
	dutyManager    = directory(1505)
)

func directory(id int) principal.SID {
	return principal.MustSID(fmt.Sprintf("S-1-5-21-70-80-90-%d", id))
}

// NewFleet makes count workstations as they stand there before anybody looks after them.
func NewFleet(count int, now time.Time) Fleet {
	var f Fleet
	for _, k := range kinds {
		f.Groups = append(f.Groups, Group{Name: k.group, Description: k.words})
	}
	for _, h := range harbours {
		f.Groups = append(f.Groups, Group{Name: h, Description: "Everything at " + string(h[0]-'a'+'A') + h[1:]})
	}
	numbers := map[string]int{}
	for i := range count {
		k := kinds[pattern[i%len(pattern)]]
		numbers[k.code]++
		name := fmt.Sprintf("SKL-%s-%03d", k.code, numbers[k.code])
		harbour := (i + i/len(pattern)) % len(harbours)
		if k.group == "head-office" { // it has a building at each end of the line
			harbour = []int{0, len(harbours) - 1}[numbers[k.code]%2]
		}
		f.Machines = append(f.Machines, workstation(name, k, i, now))
		for g := range f.Groups {
			if f.Groups[g].Name == k.group || f.Groups[g].Name == harbours[harbour] {
				f.Groups[g].Devices = append(f.Groups[g].Devices, name)
			}
		}
	}
	return f
}

func workstation(name string, k kind, i int, now time.Time) simulated.Machine {
	build, version := 22631, "10.0.22631"
	if k.code == "INF" {
		build, version = 17763, "10.0.17763"
	}
	m := simulated.Factory(wire.Facts{Name: name, Serial: fmt.Sprintf("SL-%05d", 20417+7*i), Model: k.model, Platform: "windows", OSVersion: version, OSBuild: build},
		principal.MustSID(fmt.Sprintf("S-1-5-21-7000-%d-%d", 80+i, 900+3*i)), now)
	w := simulated.Boot(m, func() time.Time { return now })
	w.AddAccount("keeper")
	w.AddAccount(localPerson[k.code])
	people := []string{"keeper"}
	if i%3 == 0 {
		w.AddAccount("setup") // left behind by whoever installed it
		people = append(people, "setup")
	}
	for _, person := range people {
		if err := w.Join(policy.Administrators, person); err != nil {
			panic(err) // a fresh workstation has this group and these accounts
		}
	}
	m = w.Machine()
	m.Directory = []principal.SID{fleetSupport, stromvoeOffice, northwickTeam, workshopLeads, dutyManager}
	spoil(&m)
	return m
}

var localPerson = map[string]string{"TKT": "counter", "BRG": "watch", "HBR": "office", "WKS": "mechanic", "HQ": "clerk", "INF": "signage"}

// spoil gives some devices what is wrong with them for good.
func spoil(m *simulated.Machine) {
	switch m.Facts.Name {
	case "SKL-HBR-002": // some other program guards the lockout
		m.Faults.DenyLockout = true
	case "SKL-INF-001", "SKL-INF-002": // an old build without it
		m.Faults.NoLockout = true
	case "SKL-WKS-003": // has not heard of the workshop leads
		m.Directory = []principal.SID{fleetSupport, stromvoeOffice}
	case "SKL-TKT-005": // somebody deleted the one local administrator
		w := simulated.Boot(*m, time.Now)
		if err := w.DeleteAccount("keeper"); err == nil {
			*m = w.Machine()
		}
	}
}

// Incidents are what people do to the devices while the demo runs.
func Incidents(clock interface {
	After(d time.Duration) <-chan time.Time
}) []fleetsim.Incident {
	return []fleetsim.Incident{
		{Device: "SKL-WKS-002", What: "the mechanic adds himself to administrators", After: 25 * time.Second, Every: 70 * time.Second, Do: fleetsim.AddsHimself("mechanic")},
		{Device: "SKL-TKT-003", What: "somebody weakens the lockout", After: 40 * time.Second, Every: 110 * time.Second, Do: fleetsim.WeakensLockout},
		{Device: "SKL-TKT-004", What: "the counter's password is mistyped", After: 55 * time.Second, Every: 30 * time.Minute, Do: fleetsim.Mistypes("counter", 6)},
		{Device: "SKL-BRG-002", What: "the ship is out of range", After: 20 * time.Second, Every: 10 * time.Minute, Do: fleetsim.OutOfRange(clock, 4*time.Hour)},
	}
}
