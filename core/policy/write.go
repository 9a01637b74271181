package policy

import (
	"bytes"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"
)

// Write writes a document in its canonical form: keys in the order of the format, what equals a
// default left out, two blanks of indentation. Comments of the source, which may be nil, are kept
// beside what they stood at: a key of the same path, or a list item with the same key, target,
// local group or text. The comment of a key that is left out because it says what holds anyway goes to
// the next key. Parsing what was written gives the document again.
func Write(doc *Document, source []byte) []byte {
	root := documents.write(doc)
	var old yaml.Node
	if len(source) > 0 && yaml.Unmarshal(source, &old) == nil && old.Kind == yaml.DocumentNode {
		before, _ := ParseNode(old.Content[0], nil)
		keeper{reflect.DeepEqual(before, doc)}.comments(root, old.Content[0])
		head, foot := old.HeadComment, old.FootComment
		root.HeadComment = joinComments(head, root.HeadComment)
		root.FootComment = joinComments(root.FootComment, foot)
	}
	var out bytes.Buffer
	encoder := yaml.NewEncoder(&out)
	encoder.SetIndent(2)
	// Encoding nodes made here into memory cannot fail.
	_ = encoder.Encode(root)
	_ = encoder.Close()
	return out.Bytes()
}

func joinComments(a, b string) string {
	if a == "" || b == "" {
		return a + b
	}
	return a + "\n" + b
}

// keeper takes comments over. Where nothing was edited, not one is lost.
type keeper struct{ unchanged bool }

// comments takes those of old over to the nodes of fresh that are the same thing.
func (k keeper) comments(fresh, old *yaml.Node) {
	copyComments(fresh, old)
	if fresh.Kind != old.Kind {
		return
	}
	switch fresh.Kind {
	case yaml.MappingNode:
		for i := 0; i+1 < len(fresh.Content); i += 2 {
			if at := keyIndex(old, fresh.Content[i].Value); at >= 0 {
				key, value := fresh.Content[i], fresh.Content[i+1]
				copyComments(key, old.Content[at])
				k.comments(value, old.Content[at+1])
				liftComment(key, value)
			}
		}
		if k.unchanged {
			keepOrphans(fresh, old)
		}
	case yaml.SequenceNode:
		for _, item := range fresh.Content {
			same := func(n *yaml.Node) bool { return n.Kind == item.Kind && identity(n) == identity(item) }
			if at := slices.IndexFunc(old.Content, same); at >= 0 {
				k.comments(item, old.Content[at])
				liftComment(item, item)
			}
		}
	}
}

// keepOrphans puts the comments of keys that are not written any more above the next key that is, or
// below the last one.
func keepOrphans(fresh, old *yaml.Node) {
	orphan := ""
	for i := 0; i+1 < len(old.Content); i += 2 {
		at := keyIndex(fresh, old.Content[i].Value)
		if at < 0 {
			orphan = joinComments(orphan, joinComments(all(old.Content[i]), all(old.Content[i+1])))
		} else if orphan != "" {
			fresh.Content[at].HeadComment = joinComments(orphan, fresh.Content[at].HeadComment)
			orphan = ""
		}
	}
	if last := len(fresh.Content) - 2; last >= 0 {
		fresh.Content[last].FootComment = joinComments(fresh.Content[last].FootComment, orphan)
	}
}

// all are the comments of a node and of everything in it.
func all(n *yaml.Node) string {
	text := joinComments(joinComments(n.HeadComment, n.LineComment), n.FootComment)
	for _, part := range n.Content {
		text = joinComments(text, all(part))
	}
	return text
}

// liftComment puts a comment that stood behind a short mapping or list above it, since it is written
// over several lines now.
func liftComment(to, from *yaml.Node) {
	if from.Kind != yaml.ScalarNode && from.Style&yaml.FlowStyle == 0 {
		to.HeadComment = joinComments(to.HeadComment, from.LineComment)
		from.LineComment = ""
	}
}

func copyComments(to, from *yaml.Node) {
	to.HeadComment = joinComments(to.HeadComment, from.HeadComment)
	to.LineComment = joinComments(to.LineComment, from.LineComment)
	to.FootComment = joinComments(to.FootComment, from.FootComment)
}

func keyIndex(mapping *yaml.Node, key string) int {
	for i := 0; i+1 < len(mapping.Content); i += 2 {
		if mapping.Content[i].Value == key {
			return i
		}
	}
	return -1
}

// identity is what makes a list item the same one after an edit.
func identity(n *yaml.Node) string {
	if n.Kind != yaml.MappingNode {
		return strings.ToLower(n.Value)
	}
	for _, key := range []string{"key", "target", "local_group"} {
		if at := keyIndex(n, key); at >= 0 {
			return strings.ToLower(n.Content[at+1].Value)
		}
	}
	return ""
}

// mapping builds a mapping key by key.
type mapping struct{ node *yaml.Node }

func newMapping() mapping { return mapping{&yaml.Node{Kind: yaml.MappingNode}} }

func (m mapping) put(key string, value *yaml.Node) {
	m.node.Content = append(m.node.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: key}, value)
}

func plainNode(value string) *yaml.Node { return &yaml.Node{Kind: yaml.ScalarNode, Value: value} }

func numberNode(n int) *yaml.Node { return plainNode(strconv.Itoa(n)) }

// textNode is marked as text, so that the encoder quotes what would be read as something else.
func textNode(s string) *yaml.Node {
	n := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: s}
	if strings.Contains(s, "\n") {
		n.Style = yaml.LiteralStyle
	}
	return n
}

// Duration writes minutes as a policy does, in the largest unit that divides them.
func Duration(d time.Duration) string {
	minutes := int(d.Minutes())
	switch {
	case minutes != 0 && minutes%(24*60) == 0:
		return fmt.Sprintf("%dd", minutes/(24*60))
	case minutes != 0 && minutes%60 == 0:
		return fmt.Sprintf("%dh", minutes/60)
	}
	return fmt.Sprintf("%dm", minutes)
}
