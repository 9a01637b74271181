package policy

import (
	"cmp"
	"fmt"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// reader walks YAML nodes and gathers every problem instead of stopping at the first.
type reader struct {
	problems  []Problem
	directory principal.Directory   // nil: people and groups are not looked up
	places    map[string]*yaml.Node // where each key and list item stands, by path
	named     int                   // principals so far
}

func (r *reader) place(path string, n *yaml.Node) {
	if r.places == nil {
		r.places = map[string]*yaml.Node{}
	}
	r.places[path] = n
}

// at is where a path stands, or the nearest thing around it that does.
func (r *reader) at(path string) *yaml.Node {
	for {
		if n := r.places[path]; n != nil {
			return n
		}
		cut := strings.LastIndexAny(path, ".[")
		if cut < 0 {
			return &yaml.Node{Line: 1, Column: 1}
		}
		path = path[:cut]
	}
}

func (r *reader) errorf(n *yaml.Node, path, code, format string, args ...any) {
	r.problems = append(
		r.problems,
		Problem{path, max(n.Line, 1), max(n.Column, 1), Error, code, fmt.Sprintf(format, args...)},
	)
}

func (r *reader) warnf(n *yaml.Node, path, code, format string, args ...any) {
	r.errorf(n, path, code, format, args...)
	r.problems[len(r.problems)-1].Severity = Warning
}

// known are the keys that a mapping may have.
type known interface {
	find(key string) int
	keys() []string
}

// mapping reads a mapping: each value by the index of its key. It gives the line of each key that is there, nothing
// where there is no mapping.
func (r *reader) mapping(
	n *yaml.Node, path string, known known, read func(i int, n *yaml.Node, path string),
) map[string]int {
	if n.Kind != yaml.MappingNode {
		r.wrongType(n, path, "a mapping of keys to values")
		return nil
	}
	seen := map[string]int{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, value := n.Content[i], n.Content[i+1]
		at := join(path, key.Value)
		if line, again := seen[key.Value]; again {
			r.errorf(key, at, CodeDuplicate, "the key %q stands in line %d already; keep one of them", key.Value, line)
			continue
		}
		seen[key.Value] = key.Line
		index := known.find(key.Value)
		if index < 0 {
			r.unknownKey(key, at, known.keys())
			continue
		}
		if value.Kind == yaml.AliasNode || value.Anchor != "" {
			r.errorf(value, at, CodeSyntax, "anchors and aliases are not used in a policy; write the value out")
			continue
		}
		r.place(at, value)
		read(index, value, at)
	}
	return seen
}

func (r *reader) unknownKey(key *yaml.Node, path string, known []string) {
	lower := strings.ToLower(key.Value)
	for _, word := range []string{"password", "passwd", "pwd", "secret", "passphrase"} {
		if strings.Contains(lower, word) && lower != "passwords" {
			r.errorf(
				key,
				path,
				CodeSecret,
				"%q is refused: a policy never holds a password, because everybody who can read the policy could use "+
					"it on every device. Take the key out, and change the password if it was real",
				key.Value,
			)
			return
		}
	}
	hint := "known here: " + strings.Join(known, ", ")
	if near := text.Nearest(key.Value, known); near != "" {
		hint = fmt.Sprintf("did you mean %q?", near)
	}
	r.errorf(key, path, CodeUnknownKey, "the key %q is not known; %s", key.Value, hint)
}

func (r *reader) list(n *yaml.Node, path string, each func(item *yaml.Node, path string)) {
	if n.Kind != yaml.SequenceNode {
		r.wrongType(n, path, "a list")
		return
	}
	for i, item := range n.Content {
		at := fmt.Sprintf("%s[%d]", path, i)
		if item.Kind == yaml.AliasNode || item.Anchor != "" {
			r.errorf(item, at, CodeSyntax, "anchors and aliases are not used in a policy; write the value out")
			continue
		}
		r.place(at, item)
		each(item, at)
	}
}

func (r *reader) text(n *yaml.Node, path string) (string, bool) {
	if n.Kind != yaml.ScalarNode || n.ShortTag() == "!!null" {
		r.wrongType(n, path, "text")
		return "", false
	}
	if !isText(n) {
		r.errorf(
			n,
			path,
			CodeType,
			"%s would be read as something else than text; put it in quotes: %q",
			n.Value,
			n.Value,
		)
		return "", false
	}
	return text.NFC(n.Value), true
}

// isText reports whether a node is read as text.
func isText(n *yaml.Node) bool {
	return n.Kind == yaml.ScalarNode && (n.ShortTag() == "!!str" || n.ShortTag() == "!!timestamp")
}

func (r *reader) prose(n *yaml.Node, path string) string {
	s, ok := r.text(n, path)
	if !ok {
		return ""
	}
	if err := text.CheckProse(s); err != nil {
		r.errorf(n, path, CodeCharacter, "the text %v", err)
	}
	return s
}

// line is running text of one line, at most [maxText] characters.
func (r *reader) line(n *yaml.Node, path string) string {
	s, ok := r.text(n, path)
	if !ok {
		return ""
	}
	if err := cmp.Or(text.CheckVisible(s), text.CheckWords(s)); err != nil {
		r.errorf(n, path, CodeCharacter, "the text %v", err)
	}
	if count := utf8.RuneCountInString(s); count > maxText {
		r.errorf(
			n,
			path,
			CodeBounds,
			"the text has %d characters; at most %d are kept by the operating systems",
			count,
			maxText,
		)
	}
	return s
}

func (r *reader) integer(n *yaml.Node, path string, low, high int, unit string) *int {
	wanted := fmt.Sprintf("a whole number from %d to %d (%s)", low, high, unit)
	// A number of many digits is a float to the YAML parser; here it is only out of bounds.
	if n.Kind != yaml.ScalarNode ||
		n.ShortTag() != "!!int" && !(n.ShortTag() == "!!float" && plainDigits.MatchString(n.Value)) {
		r.wrongType(n, path, wanted)
		return nil
	}
	// The YAML parser also knows numbers of YAML 1.1; the document is YAML 1.2, where 010 is ten.
	digits, base := n.Value, 10
	switch {
	case strings.HasPrefix(digits, "0o"):
		digits, base = digits[2:], 8
	case strings.HasPrefix(digits, "0x"):
		digits, base = digits[2:], 16
	}
	v, ok := new(big.Int).SetString(digits, base)
	if !ok {
		r.wrongType(n, path, wanted)
		return nil
	}
	if !v.IsInt64() || v.Int64() < int64(low) || v.Int64() > int64(high) {
		r.errorf(n, path, CodeBounds, "%s is out of bounds; write %s", n.Value, wanted)
		return nil
	}
	i := int(v.Int64())
	return &i
}

var plainDigits = regexp.MustCompile(`^[-+]?[0-9]+$`)

func (r *reader) boolean(n *yaml.Node, path string) *bool {
	var b bool
	if n.Kind != yaml.ScalarNode || n.ShortTag() != "!!bool" || n.Decode(&b) != nil {
		r.wrongType(n, path, "true or false")
		return nil
	}
	return &b
}

func (r *reader) choice(n *yaml.Node, path string, choices ...string) string {
	s, ok := r.text(n, path)
	if !ok {
		return ""
	}
	if !slices.Contains(choices, s) {
		r.errorf(n, path, CodeChoice, "%q is not possible here; choose one of: %s", s, strings.Join(choices, ", "))
		return ""
	}
	return s
}

// duration reads a whole number and m, h or d, between low and high minutes.
func (r *reader) duration(n *yaml.Node, path string, low, high int) *time.Duration {
	wanted := spanWanted(low, high)
	if n.Kind != yaml.ScalarNode || len(n.Value) < 2 {
		r.wrongType(n, path, wanted)
		return nil
	}
	units := map[byte]int64{'m': 1, 'h': 60, 'd': 24 * 60}
	number, unit := n.Value[:len(n.Value)-1], units[n.Value[len(n.Value)-1]]
	v, err := strconv.ParseInt(number, 10, 32)
	if unit == 0 || err != nil || number[0] == '+' || number[0] == '-' {
		r.wrongType(n, path, wanted)
		return nil
	}
	if minutes := v * unit; minutes < int64(low) || minutes > int64(high) {
		r.errorf(n, path, CodeBounds, "%s is out of bounds; write %s", n.Value, wanted)
		return nil
	}
	d := time.Duration(v*unit) * time.Minute
	return &d
}

// spanWanted says what a time between bounds, in minutes, is written like, with an example that is one.
func spanWanted(low, high int) string {
	inMinutes := func(n int) string { return Duration(time.Duration(n) * time.Minute) }
	example := low
	for _, usual := range []int{15, 60, 8 * 60, 24 * 60, 30 * 24 * 60} {
		if low <= usual && usual <= high {
			example = usual
			break
		}
	}
	return fmt.Sprintf("a whole number and m, h or d, from %s to %s, such as %s", inMinutes(low), inMinutes(high),
		inMinutes(example))
}

func (r *reader) wrongType(n *yaml.Node, path, wanted string) {
	got := map[yaml.Kind]string{yaml.MappingNode: "a mapping", yaml.SequenceNode: "a list",
		yaml.AliasNode: "an alias"}[n.Kind]
	if n.Kind == yaml.ScalarNode {
		got = strconv.Quote(n.Value)
		if n.ShortTag() == "!!null" {
			got = "nothing"
		}
	}
	r.errorf(n, path, CodeType, "%s stands here; write %s", got, wanted)
}

func join(path, key string) string {
	if path == "" {
		return key
	}
	return path + "." + key
}
