package resolve

import (
	"cmp"
	"encoding/binary"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// Resolution is what is settled for the devices of one scope. Projected is nil unless a trial
// assignment applies.
type Resolution struct {
	Enforced  Lane  `json:"enforced"`
	Projected *Lane `json:"projected,omitempty"`
}

// Settle settles what the assignments that apply ask, in whatever order they come. The undecided
// are those that would apply if a fact were known.
func Settle(applying, undecided []Assignment) Resolution {
	all := slices.Concat(applying, undecided)
	indexes := make([]int, len(all))
	for i := range indexes {
		indexes[i] = i
	}
	return NewSettler(all).Settle(indexes[:len(applying)], indexes[len(applying):])
}

// Settler settles many sets out of the same assignments. What the same assignments ask of the same
// unit is settled once and shared by all sets that have it, so values must not be changed.
// A Settler is not for several goroutines.
type Settler struct {
	assignments []Assignment
	place       []int32 // of each assignment, by rank and name
	units       []unit.ID
	names       []string          // of units
	asks        [][]ask           // of each assignment
	wants       [][]wanted        // of each assignment: which accounts it wants in which local groups
	named       map[string]int32  // assignments by name
	claims      [][]claimed       // of each unit while a lane is settled
	settled     map[string]*entry // by unit and the assignments that ask
	key         []byte
	index       map[unit.ID]int32     // of units
	checked     checkedIndexes        // of the units that the checks of a lane ask for by name
	refs        map[principal.Ref]ref // what is looked up of principals again and again
	lanes       whole                 // the lane that is settled, with room for the next
	groups      []int32               // room for the local groups of a lane
	ordered     []int                 // room for the assignments of a set
}

// wanted is an account that an assignment wants in a local group, by the indexes of their units.
type wanted struct{ account, group int32 }

// checkedIndexes are the indexes of the units that the checks of every lane look at, -1 where no assignment asks for
// one.
type checkedIndexes struct {
	minLength, complexity, minAge, maxAge         int32
	lockout, administrators, administratorEnabled int32
}

// unitIndex is the index of a unit, -1 where no assignment asks for it.
func (s *Settler) unitIndex(id unit.ID) int32 {
	if i, asked := s.index[id]; asked {
		return i
	}
	return -1
}

// ref is a principal as the checks of a lane need it.
type ref struct {
	account, rotation int32 // indexes of its units, -1 where no assignment asks for one
	text              string
}

// ref looks a principal up, once.
func (s *Settler) ref(of principal.Ref) ref {
	known, ok := s.refs[of]
	if !ok {
		known = ref{-1, s.unitIndex(unit.RotationOf(of)), of.String()}
		if of.Kind() == principal.Account {
			known.account = s.unitIndex(unit.AccountOf(of.Value()))
		}
		s.refs[of] = known
	}
	return known
}

// claimed is a claim by where it is found: the index of an assignment, and of one of its asks.
type claimed struct{ assignment, ask int32 }

// ask is what an assignment wants of a unit, by the unit's index.
type ask struct {
	unit  int32
	value unit.Value
}

// NewSettler prepares to settle sets of the assignments, whose names must differ.
func NewSettler(assignments []Assignment) *Settler {
	s := &Settler{assignments: assignments, settled: map[string]*entry{}}
	asked := 0
	for _, a := range assignments {
		asked += len(a.Policy.Asks)
	}
	s.units = make([]unit.ID, 0, asked)
	for _, a := range assignments {
		for _, ask := range a.Policy.Asks {
			s.units = append(s.units, ask.Unit)
		}
	}
	slices.SortFunc(s.units, unit.ID.Compare)
	s.units = slices.Compact(s.units)
	s.claims = make([][]claimed, len(s.units))
	order := make([]int, len(assignments))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int {
		return cmp.Or(
			cmp.Compare(assignments[a].Rank, assignments[b].Rank),
			cmp.Compare(assignments[a].Name, assignments[b].Name),
		)
	})
	s.place = make([]int32, len(assignments))
	for place, i := range order {
		s.place[i] = int32(place)
	}
	index := make(map[unit.ID]int32, len(s.units))
	for i, u := range s.units {
		index[u] = int32(i)
	}
	s.index, s.refs = index, map[principal.Ref]ref{}
	s.names = make([]string, len(s.units))
	for i, u := range s.units {
		s.names[i] = u.String()
	}
	s.lanes = whole{settler: s, at: make([]*entry, len(s.units))}
	s.checked = checkedIndexes{
		minLength: s.unitIndex(unit.MinLength), complexity: s.unitIndex(unit.Complexity),
		minAge: s.unitIndex(unit.MinAgeDays), maxAge: s.unitIndex(unit.MaxAgeDays),
		lockout: s.unitIndex(unit.Lockout), administrators: s.unitIndex(unit.Administrators),
		administratorEnabled: s.unitIndex(unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)),
	}
	s.named = make(map[string]int32, len(assignments))
	s.asks, s.wants = make([][]ask, len(assignments)), make([][]wanted, len(assignments))
	first := make(map[*policy.Normal]int, len(assignments)) // the assignment that read the policy
	for i, a := range assignments {
		if read, known := first[a.Policy]; known {
			s.asks[i], s.wants[i] = s.asks[read], s.wants[read]
		} else {
			first[a.Policy] = i
			s.asks[i], s.wants[i] = s.asksOf(a.Policy)
		}
		s.named[a.Name] = int32(i)
	}
	return s
}

// asksOf gives what a policy asks by the indexes of its settings, and which accounts it wants in which groups.
func (s *Settler) asksOf(p *policy.Normal) (asks []ask, wants []wanted) {
	asks = make([]ask, len(p.Asks))
	for i, a := range p.Asks {
		asks[i] = ask{s.index[a.Unit], a.Value}
		statement, is := a.Value.(unit.Statement)
		if !is {
			continue
		}
		for _, m := range statement.Members {
			if account := s.ref(m).account; account >= 0 {
				wants = append(wants, wanted{account, asks[i].unit})
			}
		}
	}
	return asks, wants
}

// own is a unit as the only one that a problem holds.
func (s *Settler) own(u int32) []unit.ID { return s.units[u : u+1 : u+1] }

// Settle settles what the assignments with the indexes ask; see [Settle].
func (s *Settler) Settle(applying, undecided []int) Resolution {
	s.ordered = append(s.ordered[:0], applying...)
	slices.SortFunc(s.ordered, func(a, b int) int { return cmp.Compare(s.place[a], s.place[b]) })
	onTrial := func(i int) bool { return s.assignments[i].Stance == assign.Trial }
	r := Resolution{}
	if slices.ContainsFunc(s.ordered, onTrial) {
		projected := s.lane(s.ordered)
		for i := range projected.Problems {
			projected.Problems[i].Holds = Holds{}
		}
		r.Projected = &projected
		s.ordered = slices.DeleteFunc(s.ordered, onTrial)
	}
	r.Enforced = s.lane(s.ordered)
	for _, i := range undecided {
		r.undecided(s.assignments[i])
	}
	return r
}

// undecided notes that nobody can say whether an assignment applies.
func (r *Resolution) undecided(a Assignment) {
	severity := policy.Error
	if a.Stance == assign.Trial {
		severity = policy.Warning
	} else {
		r.Enforced.add(Problem{UndecidedScope, severity, a.Name, "", Holds{All: true}})
	}
	if r.Projected != nil {
		r.Projected.add(Problem{UndecidedScope, severity, a.Name, "", Holds{}})
	}
}

func (l *Lane) add(p Problem) {
	l.Problems = append(l.Problems, p)
	sortProblems(l.Problems)
}

// lane settles the assignments, which come by rank and name.
func (s *Settler) lane(assignments []int) Lane {
	w := &s.lanes
	w.touched, w.problems = w.touched[:0], w.problems[:0]
	for _, i := range assignments {
		for at, ask := range s.asks[i] {
			if len(s.claims[ask.unit]) == 0 {
				w.touched = append(w.touched, ask.unit)
			}
			s.claims[ask.unit] = append(s.claims[ask.unit], claimed{int32(i), int32(at)})
		}
	}
	slices.Sort(w.touched)
	s.groups = s.groups[:0]
	for _, u := range w.touched {
		w.at[u] = s.entry(u)
		s.claims[u] = s.claims[u][:0]
		if w.at[u].members != nil {
			s.groups = append(s.groups, u)
		}
	}
	for _, u := range s.groups { // rule 4 of local groups needs the accounts
		w.at[u] = w.withoutAbsent(u, w.at[u])
	}
	lane := Lane{Units: make([]Unit, len(w.touched)), Problems: w.check()}
	for i, u := range w.touched {
		lane.Units[i], w.at[u] = w.at[u].Unit, nil
	}
	return lane
}

// entry settles the claims gathered for a unit, or finds that done before.
func (s *Settler) entry(u int32) *entry {
	s.key = binary.LittleEndian.AppendUint32(s.key[:0], uint32(u))
	for _, c := range s.claims[u] {
		s.key = binary.LittleEndian.AppendUint32(s.key, uint32(c.assignment))
	}
	if known, ok := s.settled[string(s.key)]; ok {
		return known
	}
	settle := settleValue
	if s.units[u].Family() == unit.Membership {
		settle = settleGroup
	}
	claims := make([]Claim, len(s.claims[u]))
	for i, c := range s.claims[u] {
		a := s.assignments[c.assignment]
		claims[i] = Claim{a.Name, a.Rank, s.units[u], s.asks[c.assignment][c.ask].value}
	}
	settled := s.entryOf(settle(claims))
	s.settled[string(s.key)] = settled
	return settled
}
