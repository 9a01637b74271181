package policy

import (
	"bytes"
	"errors"
	"io"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/text"
)

// ValidName reports whether s can name a policy, a group or an assignment: 1 to 63 characters of
// a-z, 0-9 and -, not beginning with -.
func ValidName(s string) bool { return principal.ValidKey(s) }

// NameRule is the rule of [ValidName] in words.
const NameRule = principal.KeyRule

// Parse reads a policy document in YAML 1.2 or JSON and checks it. It returns every problem at once,
// sorted by place. The document is as complete as the problems allow, and nil only when nothing can
// be read; see [Usable] for whether it can be published. People and groups are looked up in the
// directory, unless that is nil.
func Parse(source []byte, directory principal.Directory) (*Document, []Problem) {
	// What is given is found without an error.
	doc, problems, _ := ParseWith(source, func([]principal.Ref) (principal.Directory, error) { return directory, nil })
	return doc, problems
}

// ParseWith is [Parse] with a directory that is asked for once, for all people and groups that the document names;
// nil has them not looked up. Its error is that of find, and then nothing was read.
func ParseWith(
	source []byte, find func(named []principal.Ref) (principal.Directory, error),
) (*Document, []Problem, error) {
	r := &reader{}
	root := r.load(source)
	if root == nil {
		return nil, r.problems, nil
	}
	var err error
	if r.directory, err = find(named(root)); err != nil {
		return nil, nil, err
	}
	return r.parse(root), r.sorted(), nil
}

// named are the people and groups of the directory that a document names, as far as they can be read.
func named(root *yaml.Node) []principal.Ref {
	var refs []principal.Ref
	seen := map[principal.Ref]bool{}
	for _, statement := range valueOf(root, "membership").Content {
		for _, key := range []string{"members", "remove"} {
			for _, member := range valueOf(statement, key).Content {
				ref, err := principal.Parse(text.NFC(member.Value))
				if err != nil || seen[ref] {
					continue
				}
				if len(refs) == MaxNamed {
					return nil // the document is refused for it
				}
				refs, seen[ref] = append(refs, ref), true
			}
		}
	}
	return refs
}

// valueOf is the value of a key, an empty one where there is none.
func valueOf(n *yaml.Node, key string) *yaml.Node {
	if n.Kind == yaml.MappingNode {
		if at := keyIndex(n, key); at >= 0 {
			return n.Content[at+1]
		}
	}
	return &yaml.Node{}
}

// ParseNode is [Parse] for a document that stands inside another, such as a scenario.
func ParseNode(node *yaml.Node, directory principal.Directory) (*Document, []Problem) {
	r := &reader{directory: directory}
	return r.parse(node), r.sorted()
}

func (r *reader) sorted() []Problem {
	sortProblems(r.problems)
	return r.problems
}

func (r *reader) load(source []byte) *yaml.Node {
	start := &yaml.Node{Line: 1, Column: 1}
	if len(source) > MaxSize {
		r.errorf(
			start,
			"",
			CodeTooLarge,
			"the document has %d bytes; at most %d are read. Split it into several policies",
			len(source),
			MaxSize,
		)
		return nil
	}
	var root, more yaml.Node
	decoder := yaml.NewDecoder(bytes.NewReader(source))
	if err := decoder.Decode(&root); err != nil {
		if errors.Is(err, io.EOF) {
			r.errorf(start, "", CodeEmpty, "the document is empty; begin with \"format: %s\"", Format)
			return nil
		}
		line, message := syntaxError(err)
		r.errorf(&yaml.Node{Line: line, Column: 1}, "", CodeSyntax, "this is neither YAML nor JSON: %s", message)
		return nil
	}
	if !errors.Is(decoder.Decode(&more), io.EOF) {
		r.errorf(start, "", CodeSyntax, "the file holds more than one document; keep one policy a file")
		return nil
	}
	return root.Content[0]
}

func (r *reader) parse(root *yaml.Node) *Document {
	doc := &Document{}
	documents.read(r, root, "", doc)
	r.checkWhole(doc)
	return doc
}

var yamlLine = regexp.MustCompile(`line (\d+): `)

// syntaxError takes the line out of the YAML parser's message, which begins with "yaml: line N: ".
func syntaxError(err error) (line int, message string) {
	message = strings.TrimPrefix(err.Error(), "yaml: ")
	if m := yamlLine.FindStringSubmatch(message); m != nil {
		line, _ = strconv.Atoi(m[1])
		message = strings.Replace(message, m[0], "", 1)
	}
	return max(line, 1), message
}
