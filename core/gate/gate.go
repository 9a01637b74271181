// Package gate judges what may come into force, and on what condition. It is the table of rules at the one door through
// which everything goes that may alter what a device is told: consequences in, an answer out.
//
//	go      nothing stands in its way
//	look    whoever asks must have seen what it does
//	wait    a person must decide, since nobody saw what came in by itself
//	agree   somebody else must agree, to exactly the ways in that they were shown
//	refuse  it may not be
//
// The strictest rule wins. Adding devices or effects to an alteration never makes the answer milder.
package gate

import "rankwarden.example/core/effect"

// Answer says what may become of an alteration. A greater one is stricter.
type Answer int

// The answers.
const (
	Go Answer = iota
	Look
	Wait
	Agree
	Refuse
)

func (a Answer) String() string { return [...]string{"go", "look", "wait", "agree", "refuse"}[a] }

// Source says what an alteration comes from.
type Source int

// The sources.
const (
	Person  Source = iota // who can be shown what it does
	Arrival               // a file of facts, an import: what is in it came from elsewhere
)

// Alteration is what would come into force, with what it would do.
type Alteration struct {
	Source     Source
	Beyond     bool     // a device that it affects is out of the asker's reach
	Moved      []string // things that it is based on and that somebody else altered since
	Access     effect.AccessSet
	Everything []string // assignments that it aims at everything at once
	AtOnce     bool     // it goes to all of its devices at once, whatever its waves are called
	Devices    int      // whose desired state it alters
	Fleet      int      // all devices there are
	Lately     Count    // what the same person or source put into force within a day without anybody looking
	Seen       bool     // whoever asks has seen exactly this
	Agreed     *Agreement
}

// Count is what was put into force.
type Count struct {
	Devices int // whose desired state was altered
	Lost    int // on which somebody lost administrators
}

// Agreement is what a second person agreed to.
type Agreement struct {
	Access effect.AccessSet
	Needs  []string // in words
}

// Reason is one rule that gave an answer stricter than go.
type Reason struct {
	Answer Answer
	Words  string
}

// Judgement is the answer, with every rule that asks for it or for less.
type Judgement struct {
	Answer    Answer
	Reasons   []Reason
	Needs     []string         // why a second person must agree, whether or not one did
	Asked     effect.AccessSet // the access effects that a second person must agree to
	Newcomers effect.AccessSet // of those, what somebody agreed without; empty where nobody agreed to anything yet
}

// Judge applies the rules to an alteration.
func (r Rules) Judge(a Alteration) Judgement {
	j := Judgement{Asked: effect.AccessSet{}, Newcomers: effect.AccessSet{}}
	if a.Beyond {
		j.add(Refuse, "it reaches devices that you may not deploy to")
	}
	if len(a.Moved) > 0 {
		j.add(Refuse, "somebody else altered "+list(a.Moved)+" since")
	}
	r.agree(a, &j)
	r.brake(a, &j)
	if len(a.Access) > 0 && !a.Seen {
		j.add(Look, "it gives, takes or moves a way in")
	}
	return j
}

func (j *Judgement) add(answer Answer, words string) {
	j.Answer = max(j.Answer, answer)
	j.Reasons = append(j.Reasons, Reason{answer, words})
}

// lost are the devices on which somebody loses administrators.
func (a Alteration) lost() int {
	return len(a.Access.Only(func(e effect.AccessEffect) bool { return e.Access == effect.AdministratorLost }).
		Devices())
}
