package rollout

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"slices"
	"time"
)

// FirstWave is the group that goes first where nothing else is said and it has devices.
const FirstWave = "first-wave"

// Plan is how waves are drawn.
type Plan struct {
	First  []string // groups whose devices go first; none: [FirstWave], or a small share
	Shares []int    // percent of all devices that have the change once each of the next waves is open, growing
	Gate   Gate     // of every wave
}

// DefaultPlan is the plan where nothing else is said.
var DefaultPlan = Plan{Shares: []int{10, 50}, Gate: DefaultGate}

// firstShare is the size of the first wave where no group goes first.
const (
	firstShare   = 1 // percent
	firstAtLeast = 5 // devices
)

// Check says what is wrong with a plan, in words; nil for a plan that can be used.
func (p Plan) Check() error {
	last := 0
	for _, share := range p.Shares {
		if share <= last || share >= 100 {
			return fmt.Errorf(
				"the shares of the waves grow, from 1 to 99 percent, and %d does not come after %d",
				share,
				last,
			)
		}
		last = share
	}
	switch g := p.Gate; {
	case g.Verified < 1 || g.Verified > 100:
		return fmt.Errorf("a gate asks for 1 to 100 percent verified, not %d", g.Verified)
	case g.Failed < 0 || g.Failed > 100:
		return fmt.Errorf("a gate allows 0 to 100 percent failed, not %d", g.Failed)
	case g.Heard < 0 || g.Heard > 100:
		return fmt.Errorf("a gate asks for 1 to 100 percent heard, not %d", g.Heard)
	case g.Soak < 0 || g.Soak > 30*24*time.Hour:
		return fmt.Errorf("a wave soaks for 0 to 30 days, not %s", g.Soak)
	}
	return nil
}

// Drawn is a rollout that has not started, of a change that affects the devices with these identifiers, of which each
// is in the groups that the function says. Waves that would have no device are left out; a change that affects no
// device has one wave without any.
//
// The order of devices is that of the SHA-256 of their identifiers: it is the same for every rollout, whatever order
// they come in, and says nothing of their names.
func Drawn(devices []string, in func(device, group string) bool, p Plan) *Rollout {
	r := &Rollout{State: Draft, Devices: map[string]Device{}}
	rest := ordered(devices)
	take := func(title string, n int) {
		if n = min(n, len(rest)); n <= 0 {
			return
		}
		r.add(title, p.Gate, rest[:n])
		rest = rest[n:]
	}
	named := p.First
	if len(named) == 0 {
		named = []string{FirstWave}
	}
	for _, group := range named {
		ofGroup, others := split(rest, func(d string) bool { return in(d, group) })
		rest = slices.Concat(ofGroup, others)
		take(group, len(ofGroup))
	}
	all := len(devices)
	if len(r.Waves) == 0 {
		n := max(firstAtLeast, portion(all, firstShare))
		take(fmt.Sprintf("first %d", min(n, all)), n)
	}
	for _, share := range p.Shares {
		take(fmt.Sprintf("to %d %%", share), portion(all, share)-(all-len(rest)))
	}
	take("the rest", len(rest))
	if len(r.Waves) == 0 {
		r.add("no device", p.Gate, nil)
	}
	return r
}

// AllAtOnce is a rollout of a single wave.
func AllAtOnce(devices []string, g Gate) *Rollout {
	r := &Rollout{State: Draft, Devices: map[string]Device{}}
	r.add("all at once", g, devices)
	return r
}

func (r *Rollout) add(title string, g Gate, devices []string) {
	r.Waves = append(r.Waves, Wave{Title: title, Drawn: len(devices), Gate: g, Tally: Tally{}})
	for _, d := range devices {
		r.set(d, Device{Wave: len(r.Waves) - 1, Outcome: NotOpen})
	}
}

// portion is a share of a number in percent, rounded up.
func portion(of, percent int) int { return (of*percent + 99) / 100 }

func ordered(devices []string) []string {
	type hashed struct {
		hash [sha256.Size]byte
		id   string
	}
	list := make([]hashed, len(devices))
	for i, id := range devices {
		list[i] = hashed{sha256.Sum256([]byte(id)), id}
	}
	slices.SortFunc(list, func(a, b hashed) int { return bytes.Compare(a.hash[:], b.hash[:]) })
	out := make([]string, len(list))
	for i, h := range list {
		out[i] = h.id
	}
	return out
}

func split(list []string, has func(string) bool) (with, without []string) {
	for _, x := range list {
		if has(x) {
			with = append(with, x)
		} else {
			without = append(without, x)
		}
	}
	return with, without
}
