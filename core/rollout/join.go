package rollout

import (
	"crypto/sha256"
	"encoding/binary"
	"math"
	"slices"
	"time"
)

// How many devices may join a wave that is open by themselves: so many, or so many percent of those it was drawn with,
// in an hour. More of them halt the rollout and ask.
const (
	joinsAtLeast = 5
	joinsPercent = 1
	joinsWithin  = time.Hour
)

// waveOf draws a device that was not there when the waves were drawn: by the same hash, each wave with the share that
// it was drawn with.
func (r *Rollout) waveOf(device string) int {
	all := 0
	for _, w := range r.Waves {
		all += w.Drawn
	}
	sum := sha256.Sum256([]byte(device))
	at := float64(binary.BigEndian.Uint64(sum[:])) / (1 << 64) * float64(all)
	upTo := 0
	for i, w := range r.Waves {
		if upTo += w.Drawn; at < float64(upTo) {
			return i
		}
	}
	return len(r.Waves) - 1
}

// join draws devices that come into the waves.
func (r *Rollout) join(e Join, at time.Time) {
	if r.State.Ended() {
		return
	}
	open := map[int][]string{} // that come to waves that are open
	for _, device := range e.Devices {
		if _, there := r.Devices[device]; there {
			continue
		}
		wave := r.waveOf(device)
		if r.Waves[wave].OpenedAt == nil {
			r.set(device, Device{Wave: wave, Outcome: NotOpen})
			continue
		}
		open[wave] = append(open[wave], device)
	}
	many := 0
	for wave, devices := range open {
		many += r.joinOpen(wave, devices, at)
	}
	if many > 0 && !e.Wanted && (r.State == Running || r.State == Paused) {
		late := r.Late()
		r.State = Stopped
		r.decide(Decision{At: at, What: ManyJoin, Wave: r.Open(), Reason: e.Why, Count: len(late),
			Devices: late[:min(len(late), MostNamed)]})
	}
}

// joinOpen has devices join a wave that is open where they are few, and gives how many are too many to.
func (r *Rollout) joinOpen(wave int, devices []string, at time.Time) (many int) {
	w := &r.Waves[wave]
	if at.Sub(w.JoinsFrom).Abs() >= joinsWithin {
		w.Joined, w.JoinsFrom = 0, at
	}
	limit := max(joinsAtLeast, int(math.Ceil(float64(w.Drawn*joinsPercent)/100)))
	outcome := Told
	if r.State != Running { // they join when it goes on
		outcome = Late
	}
	if w.Joined+len(devices) > limit {
		outcome, many = Late, len(devices)
	} else {
		w.Joined += len(devices)
	}
	slices.Sort(devices)
	for _, device := range devices {
		r.set(device, Device{Wave: wave, Outcome: outcome})
	}
	return many
}
