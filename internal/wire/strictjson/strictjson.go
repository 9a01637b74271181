// Package strictjson is the one reader of JSON that comes from outside, on the operators' interface and on that of
// devices. A document means the same to every reader, or it is refused: no key twice, none that nobody asked for or
// with other capitals, no text that is not UTF-8, and no deeper nesting than anything here needs (RFC 8259, RFC 7493).
package strictjson

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"
)

// MaxDepth is how many lists and objects are read inside of each other.
const MaxDepth = 32

var strict = json.JoinOptions(
	jsonv1.DefaultOptionsV1(), // values mean what they mean elsewhere in the program
	jsonv1.ReportErrorsWithLegacySemantics(false),
	json.RejectUnknownMembers(true),
	json.MatchCaseInsensitiveNames(false),
	jsontext.AllowDuplicateNames(false),
	jsontext.AllowInvalidUTF8(false),
)

// Unmarshal reads a document whole into a value. The error says where in the document it is, and what is wrong there;
// it has nothing of the values, which may be secret.
func Unmarshal(document []byte, into any) error {
	if err := notTooDeep(document); err != nil {
		return err
	}
	return inWords(json.Unmarshal(document, into, strict))
}

// notTooDeep refuses documents that are nested deeper than [MaxDepth], before anything is made of them.
func notTooDeep(document []byte) error {
	d := jsontext.NewDecoder(bytes.NewReader(document), strict)
	for {
		if _, err := d.ReadToken(); err != nil {
			return nil // the end, or what the reader itself will say
		}
		if d.StackDepth() > MaxDepth {
			return fmt.Errorf("the document is nested more than %d deep", MaxDepth)
		}
	}
}

// inWords says what is wrong with a document.
func inWords(err error) error {
	var syntax *jsontext.SyntacticError
	var meaning *json.SemanticError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &syntax) && errors.Is(err, jsontext.ErrDuplicateName):
		return fmt.Errorf("the key %s is there twice", place(syntax.JSONPointer))
	case errors.Is(err, io.ErrUnexpectedEOF):
		return errors.New("it is not JSON: it ends too early")
	case errors.As(err, &syntax):
		what := strings.TrimPrefix(fmt.Sprint(syntax.Err), "jsontext: ")
		if errors.Is(err, jsontext.ErrNonStringName) {
			what = "a key must be a string"
		}
		return fmt.Errorf("it is not JSON, at byte %d: %s", syntax.ByteOffset, what)
	case errors.As(err, &meaning) && errors.Is(err, json.ErrUnknownName):
		return fmt.Errorf("there is no key %s; keys are written exactly as the description has them",
			place(meaning.JSONPointer))
	case errors.As(err, &meaning):
		return fmt.Errorf("%s is %s, which cannot be there", place(meaning.JSONPointer), kinds[meaning.JSONKind])
	}
	return errors.New("it cannot be read as JSON")
}

var kinds = map[jsontext.Kind]string{
	0: "something", 'n': "null", 't': "true", 'f': "false", '"': "a text", '0': "a number", '{': "an object",
	'[': "a list",
}

// place is where something is in a document, as its reader would say it.
func place(p jsontext.Pointer) string {
	var parts []string
	for part := range p.Tokens() {
		parts = append(parts, part)
	}
	return fmt.Sprintf("%q", cmp.Or(strings.Join(parts, "."), "the document"))
}
