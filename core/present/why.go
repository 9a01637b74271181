package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// Why says how a unit was settled: who won, who lost, and why.
func Why(u resolve.Unit) string {
	from := strings.Join(u.From, " and ")
	switch u.Verdict {
	case "":
		return "not set by any assignment now"
	case resolve.Sole:
		return from + " (only assignment)"
	case resolve.Agreed:
		if n := len(u.From) + len(u.Over); n > 2 {
			return fmt.Sprintf("%d assignments agree", n)
		}
		return strings.Join(append(append([]string{}, u.From...), losers(u.Over)...), " and ") + " agree"
	case resolve.Ranked:
		return from + " outranks " + strings.Join(losers(u.Over), ", ")
	case resolve.Stricter:
		said := from + ", stricter than " + strings.Join(lost(u.Over, resolve.LessStrict), ", ") + " at equal rank"
		if weaker := lost(u.Over, resolve.Outranked); len(weaker) > 0 {
			said += "; outranks " + strings.Join(weaker, ", ")
		}
		return said
	case resolve.Contested:
		return strings.Join(lost(u.Over, resolve.Disputed), " and ") + " differ at equal rank"
	}
	if m, ok := u.Value.(unit.Members); ok && m.Closed {
		if n := len(u.Over); n > 0 {
			return fmt.Sprintf("%s sets the exact list; %d ignored", from, n)
		}
		return from + " set the exact list together"
	}
	return from + ", merged"
}

func losers(over []resolve.LosingClaim) []string {
	list := make([]string, len(over))
	for i, l := range over {
		list[i] = l.Assignment
	}
	return list
}

// lost are the assignments that did not decide for one reason.
func lost(over []resolve.LosingClaim, why resolve.Why) []string {
	var list []string
	for _, l := range over {
		if l.Why == why {
			list = append(list, l.Assignment)
		}
	}
	return list
}

// Lost says why a claim did not decide.
func Lost(l resolve.LosingClaim) string {
	switch l.Why {
	case resolve.Same:
		return "agrees"
	case resolve.Outranked:
		return "outranked"
	case resolve.LessStrict:
		return "less strict"
	case resolve.Closed:
		return "ignored: a stronger assignment sets the exact list"
	}
	return "contested"
}
