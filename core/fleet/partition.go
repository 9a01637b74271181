package fleet

import "slices"

// partition sorts devices into classes that met the same assignments, by splitting classes again and
// again. A class is a node of a tree: it met what its parent met, and one thing more.
type partition struct {
	class  []int32 // of each device
	nodes  []node
	half   []int32 // of each class while it is being split, the new class; 0 for none
	halved []int32 // classes with a half
}

type node struct {
	parent int32
	met    uint32 // twice the assignment, and one more when undecided
}

func newPartition(count int) *partition {
	return &partition{class: make([]int32, count), nodes: make([]node, 1), half: make([]int32, 1)}
}

// split moves the devices of the set into classes that met one thing more.
func (p *partition) split(set bitset, met uint32) {
	set.each(func(device int) {
		old := p.class[device]
		if p.half[old] == 0 {
			p.half[old] = int32(len(p.nodes))
			p.nodes = append(p.nodes, node{old, met})
			p.half = append(p.half, 0)
			p.halved = append(p.halved, old)
		}
		p.class[device] = p.half[old]
	})
	for _, class := range p.halved {
		p.half[class] = 0
	}
	p.halved = p.halved[:0]
}

// scopes are the classes that have devices, in the order of their first one.
func (p *partition) scopes() []Scope {
	sizes := make([]int, len(p.nodes))
	for _, class := range p.class {
		sizes[class]++
	}
	at := make([]int, len(p.nodes))
	var scopes []Scope
	devices := make([]int, len(p.class)) // shared by all scopes
	for device, class := range p.class {
		if at[class] == 0 {
			scope := p.scope(class)
			scope.Devices, devices = devices[:0:sizes[class]], devices[sizes[class]:]
			scopes = append(scopes, scope)
			at[class] = len(scopes)
		}
		scope := &scopes[at[class]-1]
		scope.Devices = append(scope.Devices, device)
	}
	return scopes
}

func (p *partition) scope(class int32) Scope {
	var s Scope
	for n := p.nodes[class]; class != 0; n = p.nodes[class] {
		if n.met&1 == 0 {
			s.Applying = append(s.Applying, int(n.met/2))
		} else {
			s.Undecided = append(s.Undecided, int(n.met/2))
		}
		class = n.parent
	}
	slices.Reverse(s.Applying)
	slices.Reverse(s.Undecided)
	return s
}
