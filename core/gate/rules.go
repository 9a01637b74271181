package gate

import (
	"fmt"
	"slices"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Rules are what the organisation's settings ask for. The zero Rules ask for no second person and have no brake.
type Rules struct {
	Approvals
	Brake
}

// Approvals say what needs a second person. The zero Approvals ask for none.
type Approvals struct {
	AddedAdministrators   bool // somebody joins a privileged local group, or an account is taken over
	RemovedAdministrators int  // members leave administrators on this many devices or more; 0 for never
	Everything            bool // an assignment is aimed at everything at once
	AllAtOnce             bool // a change goes to all of its devices at once, without waves
}

// Brake says what may be altered within a day without anybody looking. The zero Brake lets everything pass.
type Brake struct {
	Percent        int // of the fleet: a desired state is altered on so many devices at most, and always on some
	Administrators int // devices on which somebody may leave administrators
}

// DefaultBrake is the brake where nothing else is said.
var DefaultBrake = Brake{Percent: 2, Administrators: 25}

// BrakeFloor is how many devices may always be altered: in a small fleet a few percent are no device.
const BrakeFloor = 5

// Most is how many devices of a fleet may be altered.
func (b Brake) Most(fleet int) int { return max(BrakeFloor, fleet*b.Percent/100) }

// brake holds what alters much, also where it comes in small steps.
func (r Rules) brake(a Alteration, j *Judgement) {
	answer := Look
	switch {
	case r.Brake == (Brake{}), a.Source == Person && a.Seen:
		return
	case a.Source == Arrival: // whoever sends a file has not written what is in it
		answer = Wait
	}
	if n := a.Devices + a.Lately.Devices; a.Devices > 0 && n > r.Most(a.Fleet) {
		j.add(answer, fmt.Sprintf("it would alter the desired state of %d of %d devices%s", a.Devices, a.Fleet,
			lately(a.Lately.Devices)))
	}
	if lost := a.lost(); lost > 0 && lost+a.Lately.Lost > r.Administrators {
		j.add(answer, fmt.Sprintf("somebody would leave administrators on %s%s", devices(lost), lately(a.Lately.Lost)))
	}
}

func lately(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(", after %d within the last day", n)
}

// agree asks for a second person where the settings do, unless one has agreed to at least this.
func (r Rules) agree(a Alteration, j *Judgement) {
	j.Asked = a.Access.Only(func(e effect.AccessEffect) bool {
		switch e.Access {
		case effect.AdministratorGained, effect.TakenOver:
			return r.AddedAdministrators
		case effect.AdministratorLost:
			return r.RemovedAdministrators > 0 && a.lost() >= r.RemovedAdministrators
		}
		return false
	})
	how := r.how(a)
	j.Needs = append(r.waysIn(j.Asked), how...)
	if a.Agreed != nil {
		j.Newcomers = j.Asked.Beyond(a.Agreed.Access)
		unasked := func(need string) bool { return !slices.Contains(a.Agreed.Needs, need) }
		if len(j.Newcomers) == 0 && !slices.ContainsFunc(how, unasked) {
			return
		}
	}
	for _, need := range j.Needs {
		j.add(Agree, need)
	}
}

// how says why a second person must agree to how an alteration goes out, and at what it is aimed.
func (r Rules) how(a Alteration) []string {
	needs := []string{}
	if r.Everything {
		for _, name := range a.Everything {
			needs = append(needs, "the assignment "+name+" is aimed at everything at once")
		}
	}
	if r.AllAtOnce && a.AtOnce && a.Devices > 1 {
		needs = append(needs, "it goes to all of its devices at once")
	}
	return needs
}

// waysIn says why a second person must agree to ways in. They are agreed to device by device, beside these words.
func (r Rules) waysIn(asked effect.AccessSet) []string {
	needs := []string{}
	gained, taken := map[unit.ID][]string{}, []string{}
	lost := false
	for _, e := range asked.Effects() {
		switch e.Access {
		case effect.AdministratorGained:
			gained[e.Unit] = append(gained[e.Unit], e.Subject)
		case effect.TakenOver:
			taken = append(taken, e.Subject)
		default:
			lost = true
		}
	}
	for _, id := range unit.Privileged() {
		if len(gained[id]) > 0 {
			needs = append(needs, "it adds to "+present.Unit(id)+": "+list(text.Set(gained[id])))
		}
	}
	if len(taken) > 0 {
		needs = append(needs, "it takes over accounts that people may use: "+list(text.Set(taken)))
	}
	if lost {
		needs = append(needs, fmt.Sprintf("members leave administrators on %d or more devices",
			r.RemovedAdministrators))
	}
	return needs
}

func list(names []string) string { return strings.Join(names, ", ") }

func devices(n int) string {
	if n == 1 {
		return "1 device"
	}
	return fmt.Sprintf("%d devices", n)
}
