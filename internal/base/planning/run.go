package planning

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/present"
	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// RolloutReads is what is needed of the records to read a rollout.
type RolloutReads interface {
	Freezes() ([]store.Freeze, error)
	RolloutDevices(id string) ([]store.RolloutDevice, error)
}

// RolloutRecords is what is needed of the records to keep a rollout.
type RolloutRecords interface {
	RolloutReads
	DropRolloutDevices(id string, devices []string) error
	PutRolloutDevices(id string, list []store.RolloutDevice, anew bool, at, onlineFrom time.Time) error
	SetRollout(r store.Rollout, over int64) error
}

// Run is a rollout: its record, and the state machine that is in it.
type Run struct {
	store.Rollout
	Machine *rollout.Rollout

	stored    map[string]rollout.Device // devices as they are stored
	wasHaving bool                      // the stored state has open waves
	wasOpen   int                       // index of the last open wave that is stored, -1 for none
	wasState  rollout.State             // that is stored
}

// NewRun is a rollout that has not been stored; its devices are told first when it starts.
func NewRun(record store.Rollout, machine *rollout.Rollout) *Run {
	return &Run{Rollout: record, Machine: machine, stored: map[string]rollout.Device{}, wasOpen: -1}
}

// Machine reads the state machine of a record, without its devices.
func Machine(record store.Rollout) (*rollout.Rollout, error) {
	machine := &rollout.Rollout{}
	if err := json.Unmarshal([]byte(record.Body), machine); err != nil {
		return nil, fmt.Errorf("reading the rollout %s: %w", record.Name, err)
	}
	machine.Devices = map[string]rollout.Device{}
	return machine, nil
}

// LoadRun reads a rollout with its devices.
func LoadRun(tx RolloutRecords, record store.Rollout) (*Run, error) {
	machine, err := Machine(record)
	if err != nil {
		return nil, err
	}
	devices, err := tx.RolloutDevices(record.ID)
	if err != nil {
		return nil, err
	}
	Put(machine, devices)
	r := &Run{Rollout: record, Machine: machine}
	r.remember()
	return r, nil
}

// Put puts devices into a state machine that was read without them.
func Put(machine *rollout.Rollout, devices []store.RolloutDevice) {
	for _, d := range devices {
		machine.Devices[d.DeviceID] = rollout.Device{Wave: d.Wave, Outcome: d.Outcome, Settings: d.Failing,
			Online: d.Online}
	}
	machine.Recount()
}

func (r *Run) remember() {
	r.stored, r.wasHaving = maps.Clone(r.Machine.Devices), r.Machine.State != rollout.Reverted
	r.wasOpen, r.wasState = r.Machine.Open(), r.Machine.State
}

// Encode puts the state of the machine into the record.
func (r *Run) Encode() error {
	bare := *r.Machine
	bare.Devices = nil
	body, err := json.Marshal(bare)
	if err != nil {
		return fmt.Errorf("storing the rollout %s: %w", r.Name, err)
	}
	r.State, r.Body = r.Machine.State, string(body)
	return nil
}

// Save stores a rollout over the version that was read, and has the devices settled that got the change or lost it.
// Units are the settings that the change alters on devices that are new to it. Anew says that the change is another
// one.
func (r *Run) Save(tx RolloutRecords, w *uow.Work, at time.Time, units Affected, anew bool) error {
	if err := r.Encode(); err != nil {
		return err
	}
	r.Version++
	if err := tx.SetRollout(r.Rollout, r.Version-1); err != nil {
		return err
	}
	return r.SaveDevices(tx, w, at, units, anew)
}

// mayGoOn refuses to store a wave that opens, or a rollout that resumes, during a freeze. Whatever opens a wave comes
// through here.
func (r *Run) mayGoOn(tx RolloutRecords) error {
	opens := r.Machine.Open() > r.wasOpen
	resumes := r.Machine.State == rollout.Running && r.wasState != rollout.Running
	if !opens && !resumes {
		return nil
	}
	return NotFrozen(tx)
}

// NotFrozen refuses what a freeze stops, where one is in force.
func NotFrozen(tx interface {
	Freezes() ([]store.Freeze, error)
}) error {
	frozen, err := tx.Freezes()
	if err != nil || len(frozen) == 0 {
		return err
	}
	title, _ := present.Freeze(frozen[0].What == store.FreezeAll)
	return refusal.New(refusal.Conflict, "%s by %s: %s. It goes on once somebody with the right to deploy everywhere "+
		"says rankwarden thaw", strings.ToLower(title[:1])+title[1:], frozen[0].By, frozen[0].Reason).WithCode("frozen")
}

// SaveDevices is [Run.Save] for a rollout whose record is stored already.
func (r *Run) SaveDevices(tx RolloutRecords, w *uow.Work, at time.Time, units Affected, anew bool) error {
	if err := r.mayGoOn(tx); err != nil {
		return err
	}
	var changed []store.RolloutDevice
	var gone, settle []string
	for id, d := range r.Machine.Devices {
		was, known := r.stored[id]
		fresh := units[id]
		if !known || was.Wave != d.Wave || was.Outcome != d.Outcome || !slices.Equal(was.Settings, d.Settings) ||
			anew || fresh != nil {
			changed = append(changed, store.RolloutDevice{
				DeviceID: id, Wave: d.Wave, Outcome: d.Outcome, Online: d.Online, Failing: d.Settings, Units: fresh,
			})
		}
		had := known && r.wasHaving && was.Outcome.HasChange()
		if has := r.Machine.Has(id); has != had || anew && has {
			settle = append(settle, id)
		}
	}
	for id, was := range r.stored {
		if _, there := r.Machine.Devices[id]; !there {
			gone = append(gone, id)
			if r.wasHaving && was.Outcome.HasChange() {
				settle = append(settle, id)
			}
		}
	}
	if len(gone) > 0 {
		if err := tx.DropRolloutDevices(r.ID, gone); err != nil {
			return err
		}
	}
	if err := tx.PutRolloutDevices(r.ID, changed, anew, at, w.OnlineFrom(at)); err != nil {
		return err
	}
	if len(settle) > 0 {
		slices.Sort(settle)
		w.Settle("rollout of "+r.Name, nil, settle)
	}
	w.Tell(store.TopicRollouts, r.Name)
	r.remember()
	return nil
}
