// Package fleetview keeps in memory what operators' lists and counts need of every device, so that no
// page reads a whole fleet from the database. Each replica keeps its own view, and follows the
// database's notices.
package fleetview

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"time"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/drift"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/internal/store"
)

// Device is one device as the view knows it. It is replaced whole, never changed.
type Device struct {
	ID, Name, NameKey, State string
	Former                   []string // folded names that it had and keeps
	Facts                    fleet.Facts
	Scope                    string
	Held                     []resolve.HeldUnit
	RepeatedlyReverted       []unit.ID
	StandingInput            drift.StandingInput
	Findings                 []store.ViewFinding // open ones
	Rotations                []store.ViewRotation
	Locked                   []store.LockedAccount
	AgentVersion             string
	UnknownAccounts          string // see [inventory.Inventory.Unknown]

	search   string // what a search looks in, folded
	accounts []account
	groups   []int32 // slots of the groups that it is certainly in, in order
	live     bool
}

// Verified reports whether the device has reported back, with nothing that failed or differs.
func (d *Device) Verified() bool { return d.ReportedBack() && d.StandingInput.OpenFindings == 0 }

// ReportedBack reports whether the last report of the device is about its newest desired state.
func (d *Device) ReportedBack() bool {
	h := d.StandingInput
	return h.Desired.Number > 0 && !h.Mismatched && h.Desired.Epoch == h.Reported.Epoch &&
		h.Desired.Number == h.Reported.Number
}

// View is the fleet of this replica. Use [New].
type View struct {
	mu      sync.RWMutex
	devices map[string]*Device
	order   []*Device        // by folded name and identifier
	groups  map[string]int32 // slots by name
	slots   map[string]int32 // by identifier of a group; only [View.replace] uses it
	// accounts are the names of local accounts; only [View.replace] adds to them.
	accounts accountNames
	former   map[string]string // identifiers of devices by the folded names that they had and keep

	loaded sync.Once
	ready  chan struct{} // closed once the whole fleet was read

	fenceMu sync.Mutex
	fences  map[string]chan struct{} // whoever waits in [View.Sync], by token
}

// New makes an empty view; [View.Run] fills it.
func New() *View {
	return &View{
		devices:  map[string]*Device{},
		groups:   map[string]int32{},
		slots:    map[string]int32{},
		former:   map[string]string{},
		accounts: accountNames{known: map[string]int32{}},
		ready:    make(chan struct{}),
		fences:   map[string]chan struct{}{},
	}
}

func byName(a, b *Device) int {
	return cmp.Or(strings.Compare(a.NameKey, b.NameKey), strings.Compare(a.ID, b.ID))
}

// replace takes what was read; all of the fleet, or what is known of some devices.
func (v *View) replace(seen store.ViewRecords, whole bool) {
	members, former := make(map[string][]int32, len(seen.Devices)), map[string][]string{}
	for _, f := range seen.Former {
		former[f.DeviceID] = append(former[f.DeviceID], f.NameKey)
	}
	for _, m := range seen.Memberships {
		members[m.Device] = append(members[m.Device], v.slot(m.Group))
	}
	findings, rotations := map[string][]store.ViewFinding{}, map[string][]store.ViewRotation{}
	for _, f := range seen.Findings {
		findings[f.Device] = append(findings[f.Device], f)
	}
	for _, r := range seen.Rotations {
		rotations[r.Device] = append(rotations[r.Device], r)
	}
	fresh := make([]*Device, len(seen.Devices))
	for i, s := range seen.Devices {
		fresh[i] = deviceOf(s, former[s.ID], members[s.ID], findings[s.ID], rotations[s.ID])
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	accounts := make(map[string][]account, len(seen.Accounts))
	for _, a := range seen.Accounts {
		list := make([]account, len(a.Names))
		for i, name := range a.Names {
			list[i] = account{v.accounts.number(name), store.AccountIs(a.Are[i])}
		}
		accounts[a.Device] = list
	}
	for _, d := range fresh {
		d.accounts = accounts[d.ID]
	}
	v.groups = make(map[string]int32, len(seen.Groups))
	for id, name := range seen.Groups {
		v.groups[name] = v.slot(id)
	}
	if whole {
		v.former = map[string]string{}
		for _, d := range fresh {
			v.keepNames(d)
		}
		before := v.devices
		v.devices = make(map[string]*Device, len(fresh))
		for _, d := range fresh {
			v.devices[d.ID] = keepContact(d, before[d.ID])
		}
		v.order = fresh
		slices.SortFunc(v.order, byName)
		return
	}
	for _, d := range fresh {
		v.put(d)
	}
}

// slot gives a group a small number, the same for as long as the view lives.
func (v *View) slot(id string) int32 {
	slot, known := v.slots[id]
	if !known {
		slot = int32(len(v.slots))
		v.slots[id] = slot
	}
	return slot
}

// keepNames notes the names that a device had and keeps.
func (v *View) keepNames(d *Device) {
	for _, name := range d.Former {
		v.former[name] = d.ID
	}
}

func (v *View) put(d *Device) {
	v.keepNames(d)
	former := v.devices[d.ID]
	v.devices[d.ID] = keepContact(d, former)
	at, found := slices.BinarySearchFunc(v.order, d, byName)
	switch {
	case found:
		v.order[at] = d
	case former != nil: // it has another name now
		if was, there := slices.BinarySearchFunc(v.order, former, byName); there {
			v.order = slices.Delete(v.order, was, was+1)
			at, _ = slices.BinarySearchFunc(v.order, d, byName)
		}
		fallthrough
	default:
		v.order = slices.Insert(v.order, at, d)
	}
}

// keepContact keeps a later time of contact: those in the database are written in bulk.
func keepContact(d, former *Device) *Device {
	if former != nil && former.StandingInput.LastContact.After(d.StandingInput.LastContact) {
		d.StandingInput.LastContact = former.StandingInput.LastContact
	}
	return d
}

func deviceOf(
	s store.ViewDevice, former []string, groups []int32, findings []store.ViewFinding, rotations []store.ViewRotation,
) *Device {
	slices.Sort(groups)
	d := &Device{
		ID:                 s.ID,
		Name:               s.Name,
		NameKey:            s.NameKey,
		Former:             former,
		State:              s.State,
		Scope:              s.Scope,
		Held:               s.Held,
		RepeatedlyReverted: s.RepeatedlyReverted,
		Facts: fleet.Facts{
			Name:        s.Name,
			Platform:    s.Platform,
			OSVersion:   s.OSVersion,
			OSBuild:     s.OSBuild,
			Model:       s.Model,
			Serial:      s.Serial,
			Path:        s.Path,
			Tags:        s.Tags,
			PrimaryUser: s.PrimaryUser,
		},
		StandingInput:   s.StandingInput(),
		Findings:        findings,
		Rotations:       rotations,
		Locked:          s.Locked,
		AgentVersion:    s.AgentVersion,
		UnknownAccounts: s.UnknownAccounts,
		groups:          groups,
		live:            s.State == store.Live,
	}
	d.search = text.Fold(strings.Join(
		slices.Concat([]string{s.Name, s.Serial, s.Model, s.Platform, s.OSVersion, s.Path, s.PrimaryUser}, s.Tags,
			former),
		"\n",
	))
	return d
}

// noteContacts notes that devices were noteContacts from.
func (v *View) noteContacts(ids []string, at time.Time) {
	v.mu.Lock()
	defer v.mu.Unlock()
	for _, id := range ids {
		d := v.devices[id]
		if d == nil || !at.After(d.StandingInput.LastContact) {
			continue
		}
		next := *d
		next.StandingInput.LastContact = at
		v.put(&next)
	}
}

// in reports whether a device is certainly in the group of a slot.
func (d *Device) in(group int32) bool {
	_, found := slices.BinarySearch(d.groups, group)
	return found
}

// scope is a reach and a group as slots.
type scope struct {
	reach  []int32
	all    bool
	group  int32
	narrow bool // to the group
}

const nowhere = -1 // the slot of a group that is not known

func (v *View) scope(reach rights.Reach, group string) scope {
	s := scope{all: reach.Everywhere()}
	for _, name := range reach.Groups() {
		if slot, known := v.groups[name]; known {
			s.reach = append(s.reach, slot)
		}
	}
	if group != "" && group != assign.Everything {
		s.narrow, s.group = true, nowhere
		if slot, known := v.groups[group]; known {
			s.group = slot
		}
	}
	return s
}

func (s scope) has(d *Device) bool {
	if s.narrow && !d.in(s.group) {
		return false
	}
	return s.all || slices.ContainsFunc(s.reach, d.in)
}
