package journal

import (
	"maps"
	"slices"
	"strings"
	"time"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
)

// What is remembered of who uses the device, and when that is told.
const (
	usedWithin  = 30 * 24 * time.Hour
	usedMost    = 200 // people
	usedAtLeast = 3   // days
)

// Used remembers a day on which somebody signed in: an identifier, or a name where the device knows no more.
func (j *Journal) Used(account principal.SID, name string, at time.Time) {
	who := account.String()
	if account.IsZero() {
		if name == "" {
			return
		}
		who = drift.UsualName + strings.ToLower(name)
	}
	day := inventory.Day(at)
	if slices.ContainsFunc(j.UsedOn[who], day.Equal) {
		return
	}
	if j.UsedOn == nil {
		j.UsedOn = map[string][]time.Time{}
	}
	j.UsedOn[who] = append(j.UsedOn[who], day)
	for len(j.UsedOn) > usedMost { // whoever was there longest ago is forgotten
		oldest := slices.MinFunc(slices.Sorted(maps.Keys(j.UsedOn)), func(a, b string) int {
			return latest(j.UsedOn[a]).Compare(latest(j.UsedOn[b]))
		})
		delete(j.UsedOn, oldest)
	}
}

// Usual is who signed in on most days of the last month, empty for nobody on at least three. Local accounts are people
// of the device itself and do not count. Of several with as many days it is whoever was there last.
func (j *Journal) Usual(now time.Time, local func(account string) bool) string {
	usual := ""
	for _, who := range slices.Sorted(maps.Keys(j.UsedOn)) {
		days := slices.DeleteFunc(j.UsedOn[who], func(day time.Time) bool { return now.Sub(day) > usedWithin })
		if j.UsedOn[who] = days; len(days) == 0 {
			delete(j.UsedOn, who)
		}
		if len(days) < usedAtLeast || local(who) {
			continue
		}
		before := j.UsedOn[usual]
		if len(days) > len(before) || len(days) == len(before) && latest(days).After(latest(before)) {
			usual = who
		}
	}
	return usual
}

func latest(days []time.Time) time.Time { return slices.MaxFunc(days, time.Time.Compare) }
