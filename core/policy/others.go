package policy

import (
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
)

// Others says what becomes of local accounts that no policy names. Built-in accounts and those of the operating system
// or the directory never count.
type Others struct {
	State unit.State    // disabled
	Grace time.Duration // 1 to 90 days, from when the device first saw the account under the rule
	Allow []string      // names with *, or ranges of identifiers
}

// Limits of the grace, in minutes, and the usual one.
const (
	MinGrace, MaxGrace = 24 * 60, 90 * 24 * 60
	DefaultGrace       = 14 * 24 * time.Hour
)

// others is how it is written.
var others = shape[Others]{
	always("state", oneOf(unit.Disabled), func(o *Others) *unit.State { return &o.State }).needed().
		about("What becomes of them when the grace is over; they are never deleted"),
	usual("grace", span(MinGrace, MaxGrace), func(o *Others) *time.Duration { return &o.Grace }, DefaultGrace).
		about("1d to 90d from when the device first saw the account under this rule"),
	unless("allow", words(schema{{"type", "string"}, {"minLength", 1}}, (*reader).allowed),
		func(o *Others) *[]string { return &o.Allow }, none).
		about("Names, * for anything, or ranges of the last part of the identifier, such as id:30000-39999"),
}

func newOthers() Others { return Others{State: unit.Disabled, Grace: DefaultGrace} }

// allowed reads the accounts that are left alone.
func (r *reader) allowed(n *yaml.Node, path string) []string {
	var entries []string
	if len(n.Content) > MaxMembers {
		r.errorf(n, path, CodeBounds, "%d entries are too many for one list; at most %d are possible. Use * for names "+
			"that begin alike", len(n.Content), MaxMembers)
		return nil
	}
	r.list(n, path, func(n *yaml.Node, path string) {
		s, ok := r.text(n, path)
		if !ok {
			return
		}
		s = text.Fold(s)
		if why := notAllowed(s); why != "" {
			r.errorf(n, path, CodeName, "%q %s", s, why)
			return
		}
		if slices.Contains(entries, s) {
			r.warnf(n, path, CodeDuplicate, "%s stands in this list already; keep one", s)
			return
		}
		entries = append(entries, s)
	})
	return entries
}

// notAllowed says what is wrong with a folded entry, empty for nothing.
func notAllowed(entry string) string {
	if unit.IsRange(entry) {
		if _, _, is := unit.AllowedRange(entry); !is {
			return "is no range of identifiers; write one as id:30000-39999, the lower number first"
		}
		return ""
	}
	name := strings.ReplaceAll(entry, "*", "")
	if name == "" {
		return "would leave every account alone; name some, or take other_accounts out"
	}
	if err := text.CheckName(name, text.MaxAccountName); err != nil {
		return "cannot be the name of an account: it " + err.Error()
	}
	return ""
}

func (o *Others) value() unit.OthersValue {
	allow := append([]string{}, o.Allow...)
	slices.Sort(allow)
	return unit.OthersValue{State: unit.Disabled, GraceMinutes: int(o.Grace.Minutes()), Allow: slices.Compact(allow)}
}
