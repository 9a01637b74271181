// Package warrants gives rights for a time: somebody is a member of a local group of some devices until a stated time,
// for a stated reason. Whoever may deploy to all of the devices gives one at once, unless settings ask for a second
// person; for everybody else somebody who may deploy agrees. The device takes the membership away by itself.
//
// Errors that are meant for the caller are of type [*refusal.Error].
package warrants

import (
	"context"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/rights"
	"rankwarden.example/core/warrant"
	"rankwarden.example/internal/base/fleetview"
	"rankwarden.example/internal/base/reach"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Service is the room; every field must be set.
type Service struct {
	uow.Room[Reads, Records]

	Rules gate.Rules
	Caps  warrant.Caps // on how long a warrant holds
	View  Fleet
}

// Fleet is what this room needs to know of the devices as they are now.
type Fleet interface {
	Each(clock store.Clock, f fleetview.Filter, visit func(d *fleetview.Device, standing drift.Standing) bool)
}

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	reach.Records

	DirectoryAround(refs []principal.Ref) (*principal.Table, error)
	PeopleWithin(groups []string) ([]store.NestedEntry, error)
	GroupsAmong(groups, devices []string) ([]string, error)
	Warrant(id string) (store.Warrant, error)
	ListWarrants(f store.WarrantFilter, p store.Page) ([]store.Warrant, string, error)
	DevicesOfWarrants(reach rights.Reach, warrants []string) (map[string][]store.WarrantDevice, error)
	DueWarrants(now, askedBefore time.Time, most int) ([]store.Warrant, error)
	CountWarrants(devices []string) (map[string]int, error)
	LikeWarrants(reach rights.Reach, warrants []string, since time.Time) (map[string]int, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	LockDevices(ids []string) error
	AddWarrant(w store.Warrant, devices []string) error
	LockWarrant(id string) (store.Warrant, error)
	SetWarrant(w store.Warrant) error
	NoteMembers(warrant, groupSID, groupName, sid, local string) error
}

// Warrant is a warrant with its devices that whoever asks may see.
type Warrant struct {
	store.Warrant
	Devices []store.WarrantDevice
	// Like is how many warrants of the same principal for the same local group were agreed within thirty days, on any
	// of its devices, this one included.
	Like int
}

// Filter narrows a list. Empty fields do not.
type Filter struct {
	State  string
	Open   bool // only those that wait, run or will
	Device string
}

// List lists a page of the warrants for devices in reach, the latest first.
func (s *Service) List(ctx context.Context, who rights.Identity, f Filter, p store.Page) ([]Warrant, string, error) {
	tx, look := s.Read(ctx), who.Reach(rights.Look)
	filter := store.WarrantFilter{Reach: look, State: f.State, Open: f.Open}
	if f.Device != "" {
		d, err := reach.Visible(tx, s.Clock(), who, f.Device)
		if err != nil {
			return nil, "", err
		}
		filter.Device = d.ID
	}
	found, next, err := tx.ListWarrants(filter, p)
	if err != nil {
		return nil, "", err
	}
	ids := make([]string, len(found))
	for i, w := range found {
		ids[i] = w.ID
	}
	devices, err := tx.DevicesOfWarrants(look, ids)
	if err != nil {
		return nil, "", err
	}
	like, err := tx.LikeWarrants(look, ids, s.Now().Add(-likeWithin))
	list := make([]Warrant, len(found))
	for i, w := range found {
		list[i] = Warrant{Warrant: w, Devices: devices[w.ID], Like: like[w.ID]}
	}
	return list, next, err
}

// likeWithin is how far back warrants count that are like another one.
const likeWithin = 30 * 24 * time.Hour

// Show finds one. One without any device in reach does not exist for whoever asks.
func (s *Service) Show(ctx context.Context, who rights.Identity, id string) (Warrant, error) {
	tx := s.Read(ctx)
	w, err := tx.Warrant(id)
	if err != nil {
		return Warrant{}, refusal.Named(err, "warrant", id)
	}
	return s.view(tx, who, w)
}

func (s *Service) view(tx Reads, who rights.Identity, w store.Warrant) (Warrant, error) {
	devices, err := tx.DevicesOfWarrants(who.Reach(rights.Look), []string{w.ID})
	if err != nil {
		return Warrant{}, err
	}
	v := Warrant{Warrant: w, Devices: devices[w.ID]}
	if len(v.Devices) == 0 {
		return Warrant{}, refusal.Missing("warrant", w.ID).Hiding()
	}
	like, err := tx.LikeWarrants(who.Reach(rights.Look), []string{w.ID}, s.Now().Add(-likeWithin))
	if err != nil {
		return Warrant{}, err
	}
	v.Like = like[w.ID]
	if w.State == store.WarrantWaiting {
		v.People, err = peopleIn(tx, w.Principal) // who they would be now
	}
	return v, err
}

func idsOf(devices []store.WarrantDevice) []string {
	ids := make([]string, len(devices))
	for i, d := range devices {
		ids[i] = d.ID
	}
	return ids
}

// peopleIn are the people in a group of the directory; nobody for any other principal.
func peopleIn(tx Reads, holder string) ([]string, error) {
	ref, err := principal.Parse(holder)
	if err != nil || ref.Kind() != principal.Group {
		return []string{}, nil
	}
	found, err := tx.PeopleWithin([]string{holder})
	people := make([]string, len(found))
	for i, e := range found {
		people[i] = e.Ref
	}
	return people, err
}
