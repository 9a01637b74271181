package scenario

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"regexp"
	"strings"

	"rankwarden.example/core/text"
)

// decodeJSON is the way for large scenarios: it takes a tenth of the time of YAML. Devices and groups are read one
// after the other, so that nothing but what is kept of them takes room.
func decodeJSON(source []byte, into *file) error {
	decoder := json.NewDecoder(bytes.NewReader(source))
	decoder.DisallowUnknownFields()
	if decodeFile(decoder, into) == nil {
		return nil
	}
	return whyNot(source)
}

// errShape is given for a scenario that is to be read as a whole, which says what is wrong with it.
var errShape = errors.New("this is no scenario")

// decodeFile reads the members of the one object that a scenario is.
func decodeFile(decoder *json.Decoder, into *file) error {
	if _, err := decoder.Token(); err != nil { // the brace
		return err
	}
	for decoder.More() {
		key, err := decoder.Token()
		if err != nil {
			return err
		}
		member, name := into.member(key.(string))
		switch name {
		case "":
			err = errShape
		case "devices":
			into.listed = devices{} // of one that stands twice the last counts
			err = decodeList(decoder, into.listed.add)
		case "groups":
			into.Groups = nil
			err = decodeList(decoder, func(g group) { into.Groups = append(into.Groups, g) })
		default:
			err = decoder.Decode(member.Addr().Interface())
		}
		if err != nil {
			return err
		}
	}
	_, err := decoder.Token()
	return err
}

// member is the field of a key, as encoding/json finds it, and its name; an empty name for none.
func (f *file) member(key string) (reflect.Value, string) {
	of := reflect.ValueOf(f).Elem()
	for i := range of.NumField() {
		if name := of.Type().Field(i).Tag.Get("json"); strings.EqualFold(name, key) {
			return of.Field(i), name
		}
	}
	return reflect.Value{}, ""
}

// decodeList reads the elements of a list, one after the other; null is an empty one.
func decodeList[T any](decoder *json.Decoder, add func(T)) error {
	open, err := decoder.Token()
	if err != nil || open == nil {
		return err
	}
	if open != json.Delim('[') {
		return errShape
	}
	for decoder.More() {
		var element T
		if err := decoder.Decode(&element); err != nil {
			return err
		}
		add(element)
	}
	_, err = decoder.Token()
	return err
}

// whyNot says why a scenario cannot be read, and where.
func whyNot(source []byte) error {
	decoder := json.NewDecoder(bytes.NewReader(source))
	decoder.DisallowUnknownFields()
	err := decoder.Decode(&file{})
	at := decoder.InputOffset()
	var syntax *json.SyntaxError
	var wrong *json.UnmarshalTypeError
	switch {
	case err == nil:
		err = errShape
	case errors.As(err, &syntax):
		at = syntax.Offset
	case errors.As(err, &wrong):
		return fail(line(source, wrong.Offset), "%s cannot be %s", wrong.Field, wrong.Value)
	}
	if m := unknownField.FindStringSubmatch(err.Error()); m != nil {
		hint := ""
		if near := text.Nearest(m[1], keys); near != "" {
			hint = fmt.Sprintf("; did you mean %q?", near)
		}
		return fail(line(source, at), "the key %q is not known%s", m[1], hint)
	}
	return fail(line(source, at), "this is not JSON: %w", err)
}

var unknownField = regexp.MustCompile(`unknown field "(.*)"`)
