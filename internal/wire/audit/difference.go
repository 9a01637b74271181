package audit

import (
	"bytes"
	"encoding/json"
	"maps"
	"slices"
	"strconv"
)

// Difference is one value that was another before; nil is none.
type Difference struct {
	Path   string // such as reach.groups.0, empty for all of it
	Before json.RawMessage
	After  json.RawMessage
}

// mostDifferences bounds what is told of one entry.
const mostDifferences = 500

// Differences compare what was before with what was after, value by value, by path.
func Differences(before, after json.RawMessage) []Difference {
	old, fresh := map[string]json.RawMessage{}, map[string]json.RawMessage{}
	flatten("", before, old)
	flatten("", after, fresh)
	paths := map[string]bool{}
	for path := range old {
		paths[path] = true
	}
	for path := range fresh {
		paths[path] = true
	}
	var list []Difference
	for _, path := range slices.Sorted(maps.Keys(paths)) {
		if !bytes.Equal(old[path], fresh[path]) && len(list) < mostDifferences {
			list = append(list, Difference{path, old[path], fresh[path]})
		}
	}
	return list
}

// flatten finds the values within a value, by their paths.
func flatten(path string, raw json.RawMessage, into map[string]json.RawMessage) {
	within := func(key string) string {
		if path == "" {
			return key
		}
		return path + "." + key
	}
	var object map[string]json.RawMessage
	var list []json.RawMessage
	switch {
	case len(raw) == 0 || string(raw) == "null":
	case json.Unmarshal(raw, &object) == nil && len(object) > 0:
		for key, value := range object {
			flatten(within(key), value, into)
		}
	case json.Unmarshal(raw, &list) == nil && len(list) > 0:
		for i, value := range list {
			flatten(within(strconv.Itoa(i)), value, into)
		}
	default:
		var b bytes.Buffer
		if json.Compact(&b, raw) == nil {
			raw = b.Bytes()
		}
		into[path] = raw
	}
}
