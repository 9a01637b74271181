package resolve

import (
	"maps"
	"slices"

	"rankwarden.example/core/assign"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// mention is the strongest thing said of one principal.
type mention struct {
	rank   assign.Rank
	absent bool
}

// settleGroup settles the statements on one local group, sorted by rank.
func settleGroup(claims []Claim) Unit {
	g := group{claims: claims, mentions: map[principal.Ref]mention{}, dropped: make([]bool, len(claims))}
	id := Unit{Unit: claims[0].Unit, Verdict: Merged, From: []string{}, Over: []LosingClaim{}}
	if len(claims) == 1 {
		id.Verdict = Sole
	}
	if !g.findBase() {
		id.Verdict = Contested
		for _, c := range claims {
			why := Disputed
			if g.rank.Outranks(c.Rank) {
				why = Closed
			}
			id.Over = append(id.Over, LosingClaim{c.Assignment, c.Rank, c.Value, why})
		}
		return id
	}
	for i, c := range claims {
		g.count(i, c)
	}
	for i, c := range claims {
		if why, lost := g.lost(i, c); lost {
			id.Over = append(id.Over, LosingClaim{c.Assignment, c.Rank, c.Value, why})
		} else {
			id.From = append(id.From, c.Assignment)
		}
	}
	id.Value = g.value()
	return id
}

// group is one local group while it is being settled.
type group struct {
	claims   []Claim
	closed   bool
	rank     assign.Rank     // of the exact statements that close the group
	base     []principal.Ref // their members
	mentions map[principal.Ref]mention
	dropped  []bool // claims of which something was dropped because the group is closed
}

// findBase looks for the exact statements that close the group; it is false when those of the
// strongest rank differ.
func (g *group) findBase() bool {
	for _, c := range g.claims {
		s := c.Value.(unit.Statement)
		switch {
		case s.Mode != unit.Exact:
		case !g.closed:
			g.closed, g.rank, g.base = true, c.Rank, s.Members
		case c.Rank == g.rank && !slices.Equal(g.base, s.Members):
			return false
		}
	}
	return true
}

func (g *group) disregarded(c Claim) bool { return g.closed && g.rank.Outranks(c.Rank) }

// count takes what claim i says into the mentions.
func (g *group) count(i int, c Claim) {
	if g.disregarded(c) {
		return
	}
	s := c.Value.(unit.Statement)
	for _, ref := range s.Members {
		if g.closed && c.Rank == g.rank && !slices.Contains(g.base, ref) {
			g.dropped[i] = true
			continue
		}
		g.mention(ref, mention{c.Rank, false})
	}
	for _, ref := range s.Remove {
		g.mention(ref, mention{c.Rank, true})
	}
}

func (g *group) mention(ref principal.Ref, m mention) {
	known, there := g.mentions[ref]
	if !there || m.rank.Outranks(known.rank) || m.rank == known.rank && m.absent {
		g.mentions[ref] = m
	}
}

// lost says whether claim i decided nothing, and then why.
func (g *group) lost(i int, c Claim) (why Why, lost bool) {
	s := c.Value.(unit.Statement)
	if g.disregarded(c) {
		return Closed, true
	}
	if s.Mode == unit.Exact || s.Create && len(s.Members)+len(s.Remove) == 0 {
		return "", false
	}
	asWanted, lostToAbsent := true, false
	for _, said := range []struct {
		refs   []principal.Ref
		absent bool
	}{{s.Members, false}, {s.Remove, true}} {
		for _, ref := range said.refs {
			m, there := g.mentions[ref]
			dropped := !said.absent && g.closed && c.Rank == g.rank && !slices.Contains(g.base, ref)
			if there && !dropped && m.rank == c.Rank && m.absent == said.absent {
				return "", false
			}
			if !there || m.absent != said.absent {
				asWanted = false
				lostToAbsent = lostToAbsent || there && m.rank == c.Rank
			}
		}
	}
	switch {
	case g.dropped[i]:
		return Closed, true
	case asWanted:
		return Same, true
	case lostToAbsent:
		return LessStrict, true
	}
	return Outranked, true
}

func (g *group) value() unit.Members {
	v := unit.Members{Closed: g.closed, Present: []principal.Ref{}, Absent: []principal.Ref{}}
	for _, ref := range slices.SortedFunc(maps.Keys(g.mentions), principal.Compare) {
		switch {
		case !g.mentions[ref].absent:
			v.Present = append(v.Present, ref)
		case !g.closed:
			v.Absent = append(v.Absent, ref)
		}
	}
	v.Strict = slices.ContainsFunc(g.claims, func(c Claim) bool { return c.Value.(unit.Statement).Strict })
	v.Create = slices.ContainsFunc(g.claims, func(c Claim) bool { return c.Value.(unit.Statement).Create })
	return v
}
