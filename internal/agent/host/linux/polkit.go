//go:build linux

package linux

import (
	"context"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// Where polkit(8) is told who is an administrator, the stronger ones first.
var (
	polkitRules = []string{"/etc/polkit-1/rules.d", "/run/polkit-1/rules.d", "/usr/local/share/polkit-1/rules.d",
		"/usr/share/polkit-1/rules.d"}
	polkitLegacy = "/etc/polkit-1/localauthority.conf.d"
)

// polkitRule is one identity that is an administrator to polkit.
type polkitRule struct {
	who sudoWho
	via string
}

var (
	// adminLine names administrators in the form of former versions.
	adminLine     = regexp.MustCompile(`(?m)^\s*AdminIdentities\s*=.*$`)
	adminIdentity = regexp.MustCompile(`unix-(user|group):([^"'\s;,\]]+)`)
)

// readPolkit gives the administrators of polkit(8). The rules are programs: what they name counts, whatever they ask
// before.
func readPolkit() []polkitRule {
	var rules []polkitRule
	note := func(path, text string) {
		for _, of := range adminIdentity.FindAllStringSubmatch(text, -1) {
			who := sudoWho{text: of[2], name: of[2], id: natural(of[2]), group: of[1] == "group"}
			if who.group {
				who.text = "%" + who.name
			}
			rules = append(rules, polkitRule{who, path})
		}
	}
	var seen []string
	for _, dir := range polkitRules {
		for _, path := range globbed(filepath.Join(dir, "*.rules")) {
			if name := filepath.Base(path); !slices.Contains(seen, name) { // one of a name counts, see polkit(8)
				seen = append(seen, name)
				for _, rule := range strings.Split(withoutComments(string(readOr(path))), "polkit.add")[1:] {
					if strings.HasPrefix(rule, "AdminRule") {
						note(path, rule)
					}
				}
			}
		}
	}
	for _, path := range globbed(filepath.Join(polkitLegacy, "*.conf")) {
		for _, line := range adminLine.FindAllString(string(readOr(path)), -1) {
			note(path, line)
		}
	}
	return rules
}

var comment = regexp.MustCompile(`(?m)//.*$|(?s:/\*.*?\*/)`)

func withoutComments(text string) string { return comment.ReplaceAllString(text, "") }

// byPolkit adds whom a rule of polkit(8) makes an administrator.
func (h *Host) byPolkit(ctx context.Context, d database, of group, r polkitRule, found *ways) error {
	via := shortPath(r.via)
	switch {
	case !r.who.group && (r.who.name == "root" || r.who.id == 0),
		r.who.group && (r.who.name == of.name || r.who.id == of.gid):
		return nil
	case r.who.group:
		return h.byGroup(ctx, d, r.who, via, found)
	}
	return h.byName(ctx, d, r.who, via, found)
}
