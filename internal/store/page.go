package store

import (
	"encoding/base64"
	"encoding/json"
	"errors"
)

// ErrCursor is given for a cursor that no page gave out.
var ErrCursor = errors.New("the cursor is not one that a page gave out; begin again without it")

// Page asks for the next records of a list: at most Limit, after Cursor, from the start when empty.
type Page struct {
	Cursor string
	Limit  int
}

// The limits of a page.
const (
	DefaultLimit = 50
	MaxLimit     = 500
)

func (p Page) limit() int {
	if p.Limit <= 0 {
		return DefaultLimit
	}
	return min(p.Limit, MaxLimit)
}

func (p Page) after(into ...any) error {
	if p.Cursor == "" {
		return nil
	}
	data, err := base64.RawURLEncoding.DecodeString(p.Cursor)
	if err != nil || json.Unmarshal(data, &into) != nil {
		return ErrCursor
	}
	return nil
}

// cut takes a list that was read with one record more than the limit, and gives the page and the
// cursor of the next one, empty at the end.
func cut[T any](p Page, records []T, key func(last T) []any) ([]T, string) {
	if len(records) <= p.limit() {
		return records, ""
	}
	records = records[:p.limit()]
	data, _ := json.Marshal(key(records[len(records)-1]))
	return records, base64.RawURLEncoding.EncodeToString(data)
}
