package main

import (
	"strings"

	"rankwarden.example/api"
)

// standingPart is how many devices have a standing.
type standingPart struct {
	standing string
	n        int
}

// partsOf are the standings in the order in which they are shown.
func partsOf(s api.Standings) []standingPart {
	return []standingPart{{"in_step", s.InStep}, {"drifted", s.Drifted}, {"waiting", s.Waiting}, {"held", s.Held},
		{"silent", s.Silent}}
}

func total(s api.Standings) (n int) {
	for _, p := range partsOf(s) {
		n += p.n
	}
	return n
}

var glyphOfBar = map[string]string{"in_step": "█", "drifted": "▓", "waiting": "▒", "held": "▚", "silent": "░"}

// bar draws standings as a bar of about a width; whatever is there is at least one character wide.
func bar(s api.Standings, width int) string {
	var b strings.Builder
	all := total(s)
	for _, p := range partsOf(s) {
		if p.n > 0 {
			b.WriteString(paint(p.standing).Sprint(strings.Repeat(glyphOfBar[p.standing], max(1, p.n*width/all))))
		}
	}
	return b.String()
}
