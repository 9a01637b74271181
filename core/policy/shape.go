package policy

import (
	"bytes"
	"encoding/json"
	"slices"
	"time"

	"go.yaml.in/yaml/v3"
)

// A shape is a mapping of a document as a table of its keys, in the order in which they are written. The reader, the
// writer and the JSON Schema are made of it, so that none knows a key that another does not.
type shape[T any] []property[T]

// property is one key of a mapping that is read into a T.
type property[T any] struct {
	key      string
	required bool
	schema   schema
	read     func(r *reader, n *yaml.Node, path string, to *T)
	write    func(from *T) *yaml.Node // nil for what is left out
}

func (s shape[T]) read(r *reader, n *yaml.Node, path string, to *T) {
	seen := r.mapping(n, path, s, func(i int, n *yaml.Node, path string) { s[i].read(r, n, path, to) })
	for i := range s {
		if _, there := seen[s[i].key]; s[i].required && seen != nil && !there {
			r.errorf(n, join(path, s[i].key), CodeMissing, "the key %q is required here; add it", s[i].key)
		}
	}
}

// find gives the index of a key, -1 where the mapping has none of that name.
func (s shape[T]) find(key string) int {
	for i := range s {
		if s[i].key == key {
			return i
		}
	}
	return -1
}

// keys are those that the mapping may have, sorted.
func (s shape[T]) keys() []string {
	keys := make([]string, len(s))
	for i, p := range s {
		keys[i] = p.key
	}
	slices.Sort(keys)
	return keys
}

func (s shape[T]) write(from *T) *yaml.Node {
	m := newMapping()
	for _, p := range s {
		if n := p.write(from); n != nil {
			m.put(p.key, n)
		}
	}
	return m.node
}

// describe is the JSON Schema of the mapping; more is added to it.
func (s shape[T]) describe(more ...member) schema {
	var properties, required schema
	names := []string{}
	for _, p := range s {
		properties = append(properties, member{p.key, p.schema})
		if p.required {
			names = append(names, p.key)
		}
	}
	described := schema{{"type", "object"}, {"additionalProperties", false}, {"properties", properties}}
	if len(names) > 0 {
		required = schema{{"required", names}}
	}
	return append(append(described, required...), more...)
}

// needed is the property as one that must be there.
func (p property[T]) needed() property[T] { p.required = true; return p }

// about is the property with a description for people.
func (p property[T]) about(description string) property[T] {
	p.schema = append(p.schema[:len(p.schema):len(p.schema)], member{"description", description})
	return p
}

// byDefault is the property with what holds where it is left out.
func (p property[T]) byDefault(value any) property[T] {
	p.schema = append(p.schema[:len(p.schema):len(p.schema)], member{"default", value})
	return p
}

// within is a mapping whose keys belong to what is around it.
func within[T any](key string, of shape[T]) property[T] {
	return property[T]{key: key, schema: of.describe(), read: of.read, write: of.write}
}

// kind is a kind of value: how it is read, written and described.
type kind[V any] struct {
	schema schema
	// read gives false for what cannot be used; what was there before is kept then.
	read  func(r *reader, n *yaml.Node, path string) (V, bool)
	write func(v V) *yaml.Node
}

// inJSON is a value as the schema says it.
func (k kind[V]) inJSON(v V) any {
	if d, ok := any(v).(time.Duration); ok {
		return Duration(d)
	}
	return v
}

// always is a property that is always written.
func always[T, V any](key string, of kind[V], at func(*T) *V) property[T] {
	return property[T]{key: key, schema: of.schema, write: func(from *T) *yaml.Node { return of.write(*at(from)) },
		read: func(r *reader, n *yaml.Node, path string, to *T) {
			if v, ok := of.read(r, n, path); ok {
				*at(to) = v
			}
		}}
}

// optional is a property that is nil where it is not asked for.
func optional[T, V any](key string, of kind[V], at func(*T) **V) property[T] {
	return property[T]{key: key, schema: of.schema,
		write: func(from *T) *yaml.Node {
			if *at(from) == nil {
				return nil
			}
			return of.write(**at(from))
		},
		read: func(r *reader, n *yaml.Node, path string, to *T) {
			if v, ok := of.read(r, n, path); ok {
				*at(to) = &v
			}
		}}
}

// usual is a property that is left out where it is the usual value. Whoever reads begins with that.
func usual[T any, V comparable](key string, of kind[V], at func(*T) *V, value V) property[T] {
	p := unless(key, of, at, func(v V) bool { return v == value })
	return p.byDefault(of.inJSON(value))
}

// unless is a property that is left out where a condition holds.
func unless[T, V any](key string, of kind[V], at func(*T) *V, leave func(V) bool) property[T] {
	p := always(key, of, at)
	p.write = func(from *T) *yaml.Node {
		if v := *at(from); !leave(v) {
			return of.write(v)
		}
		return nil
	}
	return p
}

// sometimes is a property that is written where a condition on the whole mapping holds.
func (p property[T]) sometimes(when func(from *T) bool) property[T] {
	write := p.write
	p.write = func(from *T) *yaml.Node {
		if !when(from) {
			return nil
		}
		return write(from)
	}
	return p
}

// The kinds of single values.
var (
	yesNo = kind[bool]{schema{{"type", "boolean"}}, func(r *reader, n *yaml.Node, path string) (bool, bool) {
		b := r.boolean(n, path)
		return b != nil && *b, b != nil
	}, func(v bool) *yaml.Node { return plainNode(map[bool]string{true: "true", false: "false"}[v]) }}
	proseText = textOf(
		schema{{"type", "string"}},
		func(r *reader, n *yaml.Node, path string) (string, bool) { return r.prose(n, path), true },
	)
	lineText = textOf(
		schema{{"type", "string"}, {"maxLength", maxText}},
		func(r *reader, n *yaml.Node, path string) (string, bool) {
			return r.line(n, path), true
		},
	)
)

func textOf(described schema, read func(r *reader, n *yaml.Node, path string) (string, bool)) kind[string] {
	return kind[string]{described, read, textNode}
}

// number is a whole number between bounds, in a measure.
func number(low, high int, measure string) kind[int] {
	return kind[int]{
		schema{{"type", "integer"}, {"minimum", low}, {"maximum", high}},
		func(r *reader, n *yaml.Node, path string) (int, bool) {
			i := r.integer(n, path, low, high, measure)
			if i == nil {
				return 0, false
			}
			return *i, true
		},
		numberNode,
	}
}

// span is a time between bounds, in minutes.
func span(low, high int) kind[time.Duration] {
	return kind[time.Duration]{
		schema{{"type", "string"}, {"pattern", "^[0-9]+[mhd]$"}},
		func(r *reader, n *yaml.Node, path string) (time.Duration, bool) {
			d := r.duration(n, path, low, high)
			if d == nil {
				return 0, false
			}
			return *d, true
		},
		func(d time.Duration) *yaml.Node { return plainNode(Duration(d)) },
	}
}

// minutes is [span] for what nobody counts in anything but minutes: a bare number is one of them, which is said.
func minutes(low, high int) kind[time.Duration] {
	times := span(low, high)
	read := times.read
	times.schema = schema{{"type", []string{"string", "integer"}}, {"pattern", "^[0-9]+[mhd]?$"}}
	times.read = func(r *reader, n *yaml.Node, path string) (time.Duration, bool) {
		if n.Kind != yaml.ScalarNode || n.ShortTag() != "!!int" {
			return read(r, n, path)
		}
		inMinutes := *n
		inMinutes.Value += "m"
		d, ok := read(r, &inMinutes, path)
		if ok {
			r.warnf(n, path, CodeMinutes, "%s is read as minutes; write %s", n.Value, inMinutes.Value)
		}
		return d, ok
	}
	return times
}

// oneOf is one of some words; what is none of them is read as empty.
func oneOf[S ~string](choices ...S) kind[S] {
	words := make([]string, len(choices))
	for i, c := range choices {
		words[i] = string(c)
	}
	return kind[S]{
		schema{{"enum", choices}},
		func(r *reader, n *yaml.Node, path string) (S, bool) { return S(r.choice(n, path, words...)), true },
		func(v S) *yaml.Node { return plainNode(string(v)) },
	}
}

// mappingOf is a mapping inside another. Whoever reads begins with what fresh gives; check looks at the whole of it.
func mappingOf[V any](of shape[V], fresh func() V, check func(r *reader, n *yaml.Node, path string, v *V)) kind[V] {
	return kind[V]{of.describe(), func(r *reader, n *yaml.Node, path string) (V, bool) {
		v := fresh()
		of.read(r, n, path, &v)
		if check != nil {
			check(r, n, path, &v)
		}
		return v, true
	}, func(v V) *yaml.Node { return of.write(&v) }}
}

// listOf is a list of mappings. check looks at each; seen has the lines of what must not come twice.
func listOf[E any](
	of shape[E],
	fresh func() E,
	check func(r *reader, n *yaml.Node, path string, seen map[string]int, e *E),
	more ...member,
) kind[[]E] {
	return kind[[]E]{
		schema{{"type", "array"}, {"items", of.describe(more...)}},
		func(r *reader, n *yaml.Node, path string) ([]E, bool) {
			list, seen := make([]E, 0, len(n.Content)), map[string]int{}
			r.list(n, path, func(n *yaml.Node, path string) {
				e := fresh()
				of.read(r, n, path, &e)
				check(r, n, path, seen, &e)
				list = append(list, e)
			})
			return list, true
		},
		func(list []E) *yaml.Node {
			n := &yaml.Node{Kind: yaml.SequenceNode}
			for _, e := range list {
				n.Content = append(n.Content, of.write(&e))
			}
			return n
		},
	}
}

// words is a list of texts, written in one line.
func words(items schema, read func(r *reader, n *yaml.Node, path string) []string, more ...member) kind[[]string] {
	return kind[[]string]{append(schema{{"type", "array"}, {"items", items}}, more...),
		func(r *reader, n *yaml.Node, path string) ([]string, bool) { return read(r, n, path), true },
		func(list []string) *yaml.Node {
			n := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
			for _, v := range list {
				n.Content = append(n.Content, textNode(v))
			}
			return n
		}}
}

func none[V any](list []V) bool { return len(list) == 0 }

// schema is a JSON object whose members keep their order.
type schema []member

type member struct {
	name  string
	value any
}

// MarshalJSON implements [json.Marshaler].
func (s schema) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	encoder := json.NewEncoder(&b)
	encoder.SetEscapeHTML(false)
	b.WriteByte('{')
	for i, m := range s {
		if i > 0 {
			b.WriteByte(',')
		}
		for j, part := range []any{m.name, m.value} {
			if j > 0 {
				b.WriteByte(':')
			}
			if err := encoder.Encode(part); err != nil {
				return nil, err
			}
		}
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}
