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
	asks        [][]ask          // of each assignment
	statements  [][]ask          // those of them that are on local groups
	named       map[string]int32 // assignments by name
	claims      [][]claimed      // of each unit while a lane is settled
	settled     map[string]Unit  // by unit and the assignments that ask
	key         []byte
	index       map[unit.ID]int32     // of units
	checked     checkedIndexes        // of the units that the checks of a lane ask for by name
	values      []unit.Value          // what each unit comes to while a lane is settled
	refs        map[principal.Ref]ref // what is looked up of principals again and again
}

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
	s := &Settler{assignments: assignments, settled: map[string]Unit{}}
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
	s.index, s.values, s.refs = index, make([]unit.Value, len(s.units)), map[principal.Ref]ref{}
	s.checked = checkedIndexes{
		minLength: s.unitIndex(unit.MinLength), complexity: s.unitIndex(unit.Complexity),
		minAge: s.unitIndex(unit.MinAgeDays), maxAge: s.unitIndex(unit.MaxAgeDays),
		lockout: s.unitIndex(unit.Lockout), administrators: s.unitIndex(unit.Administrators),
		administratorEnabled: s.unitIndex(unit.BuiltinOf(principal.Administrator, unit.BuiltinEnabled)),
	}
	s.named = make(map[string]int32, len(assignments))
	s.asks, s.statements = make([][]ask, len(assignments)), make([][]ask, len(assignments))
	first := make(map[*policy.Normal]int, len(assignments)) // the assignment that read the policy
	for i, a := range assignments {
		if read, known := first[a.Policy]; known {
			s.asks[i], s.statements[i] = s.asks[read], s.statements[read]
		} else {
			first[a.Policy] = i
			s.asks[i], s.statements[i] = asksOf(a.Policy, index)
		}
		s.named[a.Name] = int32(i)
	}
	return s
}

// asksOf gives what a policy asks by the indexes of its settings, and of that what it says of members.
func asksOf(p *policy.Normal, index map[unit.ID]int32) (asks, statements []ask) {
	asks = make([]ask, len(p.Asks))
	for i, a := range p.Asks {
		asks[i] = ask{index[a.Unit], a.Value}
		if a.Unit.Family() == unit.Membership {
			statements = append(statements, asks[i])
		}
	}
	return asks, statements
}

// Settle settles what the assignments with the indexes ask; see [Settle].
func (s *Settler) Settle(applying, undecided []int) Resolution {
	ordered := slices.Clone(applying)
	slices.SortFunc(ordered, func(a, b int) int { return cmp.Compare(s.place[a], s.place[b]) })
	enforced := make([]int, 0, len(ordered))
	for _, i := range ordered {
		if s.assignments[i].Stance != assign.Trial {
			enforced = append(enforced, i)
		}
	}
	r := Resolution{Enforced: s.lane(enforced)}
	if len(enforced) < len(ordered) {
		projected := s.lane(ordered)
		for i := range projected.Problems {
			projected.Problems[i].Holds = Holds{}
		}
		r.Projected = &projected
	}
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
	var touched []int32
	for _, i := range assignments {
		for at, ask := range s.asks[i] {
			if len(s.claims[ask.unit]) == 0 {
				touched = append(touched, ask.unit)
			}
			s.claims[ask.unit] = append(s.claims[ask.unit], claimed{int32(i), int32(at)})
		}
	}
	slices.Sort(touched)
	w := &whole{settler: s}
	lane := Lane{Units: make([]Unit, len(touched))}
	settle := func(i int) {
		u := touched[i]
		settled := s.unit(u)
		if m, ok := settled.Value.(unit.Members); ok {
			settled.Value = w.withoutAbsent(settled.Unit, m)
		}
		s.values[u], lane.Units[i] = settled.Value, settled
		s.claims[u] = s.claims[u][:0]
	}
	groups := make([]int, 0, 8)
	for i, u := range touched {
		if s.units[u].Family() == unit.Membership {
			groups = append(groups, i)
			continue
		}
		settle(i)
	}
	for _, i := range groups { // rule 4 of local groups needs the accounts
		settle(i)
	}
	lane.Problems = w.check(lane.Units)
	for _, u := range touched {
		s.values[u] = nil
	}
	return lane
}

// unit settles the claims gathered for a unit, or finds that done before.
func (s *Settler) unit(u int32) Unit {
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
	settled := settle(claims)
	s.settled[string(s.key)] = settled
	return settled
}
