package demo

import (
	"fmt"
	"slices"
	"time"

	"rankwarden.example/client"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
	"rankwarden.example/demo/fleetsim"
	"rankwarden.example/internal/agent/host"
	"rankwarden.example/internal/agent/host/simulated"
	"rankwarden.example/internal/wire/protocol"
)

type kind struct{ code, group, words, model, tag string }

var kinds = []kind{
	{"TKT", "ticket-desks", "Ticket desks at the harbours", "Counter Compact 3", "kiosk"},
	{"BRG", "bridge-consoles", "Bridge consoles on ships", "Marine Panel 15", "ship"},
	{"HBR", "harbour-offices", "Harbour offices", "Office Tower 2", "office"},
	{"WKS", "workshop-laptops", "Workshop laptops", "Toughbook 14", "laptop"},
	{"HQ", "head-office", "Head office", "Office Tower 2", "office"},
	{"INF", "passenger-screens", "Passenger information screens", "Signage Box", "kiosk"},
}

// pattern is the mix of kinds, repeated for as many devices as are wanted.
var pattern = []int{0, 1, 0, 2, 0, 3, 0, 4, 0, 1, 0, 2, 5, 3, 0, 4, 1, 2, 3, 5}

var harbours = []string{"kirkness", "stromvoe", "hallay", "burrafirth", "northwick"}

// area is the first part of a path: the islands have a north and a south.
var area = map[string]string{
	"kirkness":   "north",
	"stromvoe":   "north",
	"hallay":     "north",
	"burrafirth": "south",
	"northwick":  "south",
}

// Place is what an enrolment token grants to the devices of one kind at one harbour.
type Place struct {
	Path string
	Tag  string
}

// Fleet is the devices of the demo, the groups that they are in, and where each stands.
type Fleet struct {
	Machines []simulated.Machine
	Groups   []client.GroupSpec
	Places   map[string]Place // by name of the device
}

// ruled are the groups that follow what is known of a device.
var ruled = []client.GroupSpec{
	{Name: "old-builds", Description: "Builds without updates",
		Rule: `device.platform == "windows" && device.os_build < 22000`},
	{Name: "kiosks", Description: "Machines that the public can touch", Rule: `"kiosk" in device.tags`},
	{Name: "northern-islands", Description: "Everything north of the sound", Rule: `device.path.startsWith("north/")`},
}

// Identifiers of people and groups in the invented directory.
var groupIDs = []int{1501, 1201, 1205, 1310, 1311, 1312, 1313, 1350, 1402, 1505, 1510, 1520}

// workshopLeads is the one that a laptop has not heard of.
const workshopLeads = 1402

func directory(id int) principal.SID {
	return principal.MustSID(fmt.Sprintf("S-1-5-21-70-80-90-%d", id))
}

// NewFleet makes count workstations as they stand there before anybody looks after them.
func NewFleet(count int, now time.Time) Fleet {
	f := Fleet{Places: map[string]Place{}}
	for _, k := range kinds {
		f.Groups = append(f.Groups, client.GroupSpec{Name: k.group, Description: k.words})
	}
	for _, h := range harbours {
		f.Groups = append(
			f.Groups,
			client.GroupSpec{Name: h, Description: "Everything at " + string(h[0]-'a'+'A') + h[1:]},
		)
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
		f.Places[name] = Place{Path: area[harbours[harbour]] + "/" + harbours[harbour] + "/" + k.group, Tag: k.tag}
		for g := range f.Groups {
			if f.Groups[g].Name == k.group || f.Groups[g].Name == harbours[harbour] {
				f.Groups[g].Devices = append(f.Groups[g].Devices, name)
			}
		}
	}
	f.Groups = append(f.Groups, ruled...)
	return f
}

// oldScreens are the last ones of an older build; the others run Linux.
var oldScreens = []string{"SKL-INF-001", "SKL-INF-002", "SKL-INF-003"}

func workstation(name string, k kind, i int, now time.Time) simulated.Machine {
	build, version, platform, factory := 22631, "10.0.22631", "windows", simulated.Factory
	switch {
	case slices.Contains(oldScreens, name):
		build, version = 17763, "10.0.17763"
	case k.code == "INF":
		build, version, platform, factory = 1211, "debian 12.11", host.PlatformLinux, simulated.FactoryLinux
	}
	m := factory(
		protocol.Facts{
			Name:      name,
			Serial:    fmt.Sprintf("SL-%05d", 20417+7*i),
			Model:     k.model,
			Platform:  platform,
			OSVersion: version,
			OSBuild:   build,
		},
		principal.MustSID(fmt.Sprintf("S-1-5-21-7000-%d-%d", 80+i, 900+3*i)),
		now,
	)
	w := simulated.Boot(m, func() time.Time { return now })
	w.AddAccount("mooring")
	w.AddAccount(localPerson[k.code])
	people := []string{"mooring"}
	if i%3 == 0 {
		w.AddAccount("setup") // left behind by whoever installed it
		people = append(people, "setup")
	}
	for _, person := range people {
		if err := w.Join(unit.GroupAdministrators, person); err != nil {
			panic(err) // a fresh workstation has this group and these accounts
		}
	}
	m = w.Machine()
	for _, id := range groupIDs {
		m.Directory = append(m.Directory, directory(id))
	}
	past(&m, k.code, i, now)
	spoil(&m)
	return m
}

var localPerson = map[string]string{
	"TKT": "counter",
	"BRG": "watch",
	"HBR": "office",
	"WKS": "mechanic",
	"HQ":  "clerk",
	"INF": "signage",
}

// spoil gives some devices what is wrong with them for good.
func spoil(m *simulated.Machine) {
	switch m.Facts.Name {
	case "SKL-HBR-002": // some other program guards the lockout
		m.Faults.DenyLockout = true
	case "SKL-INF-001", "SKL-INF-002": // so old that the lockout cannot be set and built-in names are fixed
		m.Faults.NoLockout, m.Faults.KeepsNames = true, true
	case "SKL-INF-003": // does not say which build it is
		m.Facts.OSBuild = 0
	case "SKL-WKS-003": // has not heard of the workshop leads
		m.Directory = slices.DeleteFunc(
			m.Directory,
			func(s principal.SID) bool { return s == directory(workshopLeads) },
		)
	case "SKL-HBR-003": // two accounts could be the mooring, so the device takes neither
		w := simulated.Boot(*m, time.Now)
		w.AddAccount("mooring-2041")
		w.AddAccount("mooring-2042")
		*m = w.Machine()
	}
}

// Incidents are what people do to the devices while the demo runs.
func Incidents(clock interface {
	After(d time.Duration) <-chan time.Time
}) []fleetsim.Incident {
	return []fleetsim.Incident{
		{
			Device: "SKL-WKS-002",
			What:   "the mechanic adds himself to administrators",
			After:  25 * time.Second,
			Every:  70 * time.Second,
			Do:     fleetsim.AddsHimself("mechanic"),
		},
		{
			Device: "SKL-TKT-003",
			What:   "somebody weakens the lockout",
			After:  40 * time.Second,
			Every:  110 * time.Second,
			Do:     fleetsim.WeakensLockout,
		},
		{
			Device: "SKL-TKT-004",
			What:   "the counter's password is mistyped",
			After:  55 * time.Second,
			Every:  30 * time.Minute,
			Do:     fleetsim.Mistypes("counter", 6),
		},
		{
			Device: "SKL-BRG-001",
			What:   "the built-in administrator is enabled again",
			After:  30 * time.Second,
			Every:  9 * time.Minute,
			Do:     fleetsim.EnablesBuiltin,
		},
		{
			Device: "SKL-TKT-007",
			What:   "somebody deletes the mooring",
			After:  35 * time.Second,
			Every:  20 * time.Minute,
			Do:     fleetsim.DeletesManaged("mooring-"),
		},
		{
			Device: "SKL-HQ-002",
			What:   "somebody renames the mooring",
			After:  45 * time.Second,
			Every:  20 * time.Minute,
			Do:     fleetsim.RenamesManaged("mooring-", "the-boss"),
		},
		{
			Device: "SKL-BRG-002",
			What:   "the ship is out of range",
			After:  20 * time.Second,
			Every:  10 * time.Minute,
			Do:     fleetsim.OutOfRange(clock, 4*time.Hour),
		},
	}
}
