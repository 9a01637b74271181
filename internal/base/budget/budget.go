// Package budget bounds what one person, or one device, may have the service do: a store of units that refills evenly,
// for each by their identifier. All sessions and tokens of a person spend from one. A replica keeps its own, so that
// what several of them allow together is that many times as much.
package budget

import (
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/time/rate"
)

// Size is how much may be spent: so many units at once, and as many again in the time that it takes to refill.
type Size struct {
	Units  int
	Refill time.Duration // of all of them
}

// The sizes.
var (
	// Work of a person, in units of [operation.Budget]: two hundred small calls a second for as long as they like.
	Work = Size{6000, 30 * time.Second}
	// Refused attempts of a person that the trail tells one by one.
	Refused = Size{30, time.Minute}
	// DeviceBytes is what a device sends: a hundred megabytes a day.
	DeviceBytes = Size{16 << 20, 4 * time.Hour}
	// DeviceEpochs are new beginnings of a device, each of which is on the trail.
	DeviceEpochs = Size{20, 20 * time.Minute}
)

// mostKept is how many spenders are remembered; who spent nothing for the longest is forgotten first.
const mostKept = 200_000

// Purses are those of everybody, for one size.
type Purses struct {
	size Size
	now  func() time.Time
	all  *lru.Cache[string, *rate.Limiter]
}

// New makes full purses.
func New(size Size, now func() time.Time) *Purses {
	all, _ := lru.New[string, *rate.Limiter](mostKept) // the number is positive
	return &Purses{size, now, all}
}

// Spend takes units out of somebody's purse. Where there are too few it takes none, and gives the time after which
// there will be enough. Nil purses have no bottom.
func (p *Purses) Spend(who string, units int) (again time.Duration, ok bool) {
	if p == nil {
		return 0, true
	}
	purse, known := p.all.Get(who)
	if !known {
		purse = rate.NewLimiter(rate.Limit(float64(p.size.Units)/p.size.Refill.Seconds()), p.size.Units)
		if first, there, _ := p.all.PeekOrAdd(who, purse); there { // somebody else was first
			purse = first
		}
	}
	now := p.now()
	taken := purse.ReserveN(now, min(units, p.size.Units))
	if again = taken.DelayFrom(now); again > 0 {
		taken.CancelAt(now)
		return again, false
	}
	return 0, true
}
