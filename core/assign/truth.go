package assign

// Truth is a value of Kleene's three-valued logic. The zero Truth is No.
type Truth uint8

// The values, in the order in which "or" takes the greatest and "and" the least.
const (
	No Truth = iota
	Unknown
	Yes
)

func (t Truth) String() string { return [...]string{"no", "unknown", "yes"}[t] }

func (t Truth) not() Truth { return Yes - t }

// Outcome says whether an assignment that may include a device applies to it, and why.
type Outcome string

// The outcomes; the first that fits is given.
const (
	Excluded  Outcome = "excluded"  // definitely in an exclude group
	Outside   Outcome = "outside"   // definitely not in a within group
	Undecided Outcome = "undecided" // a fact that a rule reads is not known
	Included  Outcome = "included"  // it applies
)

// Decide says whether an assignment applies to one device, given the device's membership in each
// group. It is not listed when the device is definitely in no include group.
func (a Assignment) Decide(in func(group string) Truth) (outcome Outcome, listed bool) {
	include, exclude, within := No, No, Yes
	for _, g := range a.Include {
		include = max(include, in(g))
	}
	for _, g := range a.Exclude {
		exclude = max(exclude, in(g))
	}
	for _, g := range a.Within {
		within = min(within, in(g))
	}
	switch {
	case include == No:
		return "", false
	case exclude == Yes:
		return Excluded, true
	case within == No:
		return Outside, true
	case min(include, exclude.not(), within) == Unknown:
		return Undecided, true
	}
	return Included, true
}
