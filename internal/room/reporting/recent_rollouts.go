package reporting

import (
	"slices"
	"sync"
	"time"

	"rankwarden.example/core/rollout"
	"rankwarden.example/internal/base/planning"
	"rankwarden.example/internal/store"
)

// recentRollouts keeps the devices of the rollouts that were looked at last, as of a version. The zero value is ready
// to use.
type recentRollouts struct {
	mu    sync.Mutex
	known []*recentRollout // the oldest first
}

// recentRollout is a rollout with its devices. It is not changed.
type recentRollout struct {
	id       string
	version  int64
	machine  *rollout.Rollout
	verified map[string]time.Time // when devices were verified
}

const mostRecentRollouts = 4

// of gives a rollout as its record says it is. Whoever asks for one at the same time waits, instead of reading it too.
func (r *recentRollouts) of(tx Reads, record store.Rollout) (*recentRollout, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	at := slices.IndexFunc(r.known, func(k *recentRollout) bool { return k.id == record.ID })
	if at >= 0 && r.known[at].version == record.Version {
		return r.known[at], nil
	}
	machine, err := planning.Machine(record)
	if err != nil {
		return nil, err
	}
	devices, err := tx.RolloutDevices(record.ID)
	if err != nil {
		return nil, err
	}
	planning.Put(machine, devices)
	fresh := &recentRollout{id: record.ID, version: record.Version, machine: machine, verified: map[string]time.Time{}}
	for _, d := range devices {
		if d.VerifiedAt != nil {
			fresh.verified[d.DeviceID] = *d.VerifiedAt
		}
	}
	if at >= 0 {
		r.known = slices.Delete(r.known, at, at+1)
	}
	r.known = append(r.known[max(0, len(r.known)-mostRecentRollouts+1):], fresh)
	return fresh, nil
}
