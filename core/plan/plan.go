package plan

import (
	"fmt"
	"maps"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/resolve"
)

// Plan is what every device is to have. It must not be changed.
type Plan struct {
	Inputs
	Scopes  []Scope // in the order of their first devices
	members map[string]fleet.Members
	scopeOf []int32                   // of each device
	normal  map[string]*policy.Normal // of the policies that assignments name
}

// Scope is what the devices have in common that meet the same assignments.
type Scope struct {
	fleet.Scope
	resolve.Resolution
	Err error // a policy that cannot be used, so that nothing is settled; nil otherwise
}

// sharesAt is the number of scopes for which another settler pays.
const sharesAt = 1000

// mostShares is how many shares the scopes are settled in at most; each has a settler of its own.
const mostShares = 4

// Run settles every device; each distinct set of assignments is settled once. What is independent is done
// as each does.
func Run(in Inputs, each fleet.Each) *Plan { return RunAfter(nil, in, each) }

// RunAfter is [Run] for inputs that are those of another plan with edits: what the edits do not touch is taken from
// there. The devices must be the same.
func RunAfter(former *Plan, in Inputs, each fleet.Each) *Plan {
	p := &Plan{Inputs: in, members: map[string]fleet.Members{}, normal: map[string]*policy.Normal{}}
	changed := in.Groups
	if former != nil {
		changed = p.takeGroups(former)
	}
	maps.Copy(p.members, fleet.MembersOfEach(changed, in.Devices, each))
	maps.Copy(p.members, in.Known)
	found := fleet.Scopes(len(in.Devices), p.members, in.Assignments)
	p.Scopes, p.scopeOf = make([]Scope, len(found)), make([]int32, len(in.Devices))
	for i, scope := range found {
		p.Scopes[i] = Scope{Scope: scope, Err: p.unusable(scope)}
		for _, d := range scope.Devices {
			p.scopeOf[d] = int32(i)
		}
	}
	wanted := func(*Scope) bool { return true }
	if former != nil {
		p.takeNormal(former)
		taken := p.takeScopes(former)
		wanted = func(s *Scope) bool { return !taken[s] }
	}
	p.normalise()
	order := p.alike(wanted)
	shares := min(mostShares, 1+len(order)/sharesAt)
	each(shares, func(share int) {
		p.settle(order[share*len(order)/shares : (share+1)*len(order)/shares])
	})
	return p
}

// takeGroups takes the members of groups that are the same in another plan, and gives those that are not.
func (p *Plan) takeGroups(former *Plan) (changed []fleet.Group) {
	for _, g := range p.Groups {
		same := func(f fleet.Group) bool {
			return f.Name == g.Name && f.Rule == g.Rule && (g.Rule != nil || slices.Equal(f.Devices, g.Devices))
		}
		if slices.ContainsFunc(former.Groups, same) {
			p.members[g.Name] = former.members[g.Name]
		} else {
			changed = append(changed, g)
		}
	}
	return changed
}

// takeNormal takes the normal forms of policies that are the same in another plan.
func (p *Plan) takeNormal(former *Plan) {
	for name, doc := range p.Policies {
		if doc != nil && former.Policies[name] == doc && former.normal[name] != nil {
			p.normal[name] = former.normal[name]
		}
	}
}

// takeScopes takes what is settled of scopes that meet the same assignments in another plan, and says which they are.
func (p *Plan) takeScopes(former *Plan) map[*Scope]bool {
	were := make(map[string]int, len(former.Assignments))
	for i, a := range former.Assignments {
		were[a.Name] = i
	}
	before := make([]int, len(p.Assignments)) // where an assignment that has not changed was, -1 for others
	for i, a := range p.Assignments {
		at, there := were[a.Name]
		doc := p.Policies[a.Policy]
		if !there || doc == nil || doc != former.Policies[a.Policy] || !sameClaims(a, former.Assignments[at]) {
			at = -1
		}
		before[i] = at
	}
	same := func(now, then []int) bool {
		return slices.EqualFunc(now, then, func(i, j int) bool { return before[i] == j })
	}
	taken := map[*Scope]bool{}
	for i := range p.Scopes {
		s := &p.Scopes[i]
		of := former.Of(s.Devices[0])
		if s.Err == nil && of.Err == nil && same(s.Applying, of.Applying) && same(s.Undecided, of.Undecided) {
			s.Resolution, taken[s] = of.Resolution, true
		}
	}
	return taken
}

// sameClaims reports whether two assignments of one policy make the same claims, whatever devices they apply to.
func sameClaims(a, b assign.Assignment) bool {
	return a.Name == b.Name && a.Policy == b.Policy && a.Rank == b.Rank && a.Stance == b.Stance
}

// Rerun settles again the scopes that meet an assignment of a policy, which has changed, and says how many
// they are. Who meets which assignments has not changed.
func (p *Plan) Rerun(changed *policy.Document) int {
	p.Policies = maps.Clone(p.Policies)
	p.Policies[changed.Name], p.normal[changed.Name] = changed, changed.Normalise(p.Directory)
	touched := p.alike(func(s *Scope) bool {
		return slices.ContainsFunc(s.Applying, func(i int) bool { return p.Assignments[i].Policy == changed.Name })
	})
	p.settle(touched)
	return len(touched)
}

// alike are the scopes that are wanted and can be settled, those that meet the same assignments first and differ later
// beside each other: much of what they come to is the same.
func (p *Plan) alike(wanted func(*Scope) bool) []int {
	order := make([]int, 0, len(p.Scopes))
	for i := range p.Scopes {
		if s := &p.Scopes[i]; s.Err == nil && wanted(s) {
			order = append(order, i)
		}
	}
	slices.SortFunc(order, func(a, b int) int { return slices.Compare(p.Scopes[a].Applying, p.Scopes[b].Applying) })
	return order
}

// settle settles some scopes.
func (p *Plan) settle(which []int) {
	asking := make([]resolve.Assignment, len(p.Assignments))
	for i, a := range p.Assignments {
		asking[i] = resolve.Assignment{Name: a.Name, Rank: a.Rank, Stance: a.Stance, Policy: p.normal[a.Policy]}
	}
	settler := resolve.NewSettler(asking)
	for _, i := range which {
		s := &p.Scopes[i]
		s.Resolution = settler.Settle(s.Applying, s.Undecided)
	}
}

// normalise gives the policies that assignments name their normal form; one that cannot be used has an empty one.
func (p *Plan) normalise() {
	for _, a := range p.Assignments {
		switch doc := p.Policies[a.Policy]; {
		case p.normal[a.Policy] != nil:
		case doc == nil:
			p.normal[a.Policy] = &policy.Normal{Name: a.Policy}
		default:
			p.normal[a.Policy] = doc.Normalise(p.Directory)
		}
	}
}

// unusable is why the devices of a scope cannot be settled, nil when they can.
func (p *Plan) unusable(scope fleet.Scope) error {
	for _, at := range slices.Concat(scope.Applying, scope.Undecided) {
		a := p.Assignments[at]
		if err := p.Unusable[a.Policy]; err != nil {
			return fmt.Errorf("assignment %s: %w", a.Name, err)
		}
		if p.Policies[a.Policy] == nil {
			return fmt.Errorf("assignment %s: there is no policy %q", a.Name, a.Policy)
		}
	}
	return nil
}

// Of is the scope of a device, by its index.
func (p *Plan) Of(device int) *Scope { return &p.Scopes[p.scopeOf[device]] }

// Candidates are the assignments that may include a device, by its index.
func (p *Plan) Candidates(device int) []Candidate {
	return Candidates(p.Assignments, func(group string) assign.Truth { return p.members[group].Of(device) })
}

// Candidate is an assignment that may include a device, and whether it does.
type Candidate struct {
	assign.Assignment
	Outcome assign.Outcome
}

// Candidates are those of the assignments that may include a device which is in groups as given, by rank
// and name.
func Candidates(assignments []assign.Assignment, in func(group string) assign.Truth) []Candidate {
	list := []Candidate{}
	for _, a := range assignments {
		if outcome, listed := a.Decide(in); listed {
			list = append(list, Candidate{a, outcome})
		}
	}
	slices.SortStableFunc(list, func(a, b Candidate) int { return byRank(a.Assignment, b.Assignment) })
	return list
}

// Asks are what the policy of an assignment asks for, by the assignment's index, sorted by setting. They must not be
// changed.
func (p *Plan) Asks(assignment int) []policy.Ask {
	return p.normal[p.Assignments[assignment].Policy].Asks
}

// In says whether a device, by its index, is in a group.
func (p *Plan) In(group string, device int) assign.Truth { return p.members[group].Of(device) }
