package cache_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/base/cache"
	"rankwarden.example/internal/store"
)

// revisions has the sources of the revisions of one policy, and counts how often one is read.
type revisions struct {
	sources map[int]string
	read    int
}

func (r *revisions) PolicyRevision(_ string, number int) (store.PolicyRevision, error) {
	r.read++
	source, there := r.sources[number]
	if !there {
		return store.PolicyRevision{}, store.ErrNotFound
	}
	return store.PolicyRevision{Number: number, Source: source}, nil
}

const lamps = "format: rankwarden.policy/1\nname: lamps\npasswords: {min_length: 9}\n"

// A document is parsed once, whether it comes as a revision or as an edit; what cannot be read is an error each time.
func TestDocumentsAreParsedOnce(t *testing.T) {
	d := cache.NewDocuments()
	tx := &revisions{sources: map[int]string{1: lamps, 2: "no policy"}}
	first, err := d.Of(tx, "p", 1)
	require.NoError(t, err)
	again, err := d.Of(tx, "p", 1)
	require.NoError(t, err)
	assert.Same(t, first, again)
	assert.Equal(t, 1, tx.read)
	edited, err := d.Parse(lamps)
	require.NoError(t, err)
	assert.Same(t, first, edited)
	for range 2 {
		_, err = d.Of(tx, "p", 2)
		assert.ErrorIs(t, err, cache.ErrUnreadable)
		assert.ErrorContains(t, err, "revision 2")
	}
	_, err = d.Of(tx, "p", 3)
	assert.ErrorIs(t, err, store.ErrNotFound)
}

// After the database went back a number may mean another document.
func TestDocumentsAreForgotten(t *testing.T) {
	d := cache.NewDocuments()
	tx := &revisions{sources: map[int]string{1: lamps}}
	_, err := d.Of(tx, "p", 1)
	require.NoError(t, err)
	tx.sources[1] = strings.Replace(lamps, "9", "12", 1)
	d.Forget()
	doc, err := d.Of(tx, "p", 1)
	require.NoError(t, err)
	assert.Equal(t, 12, *doc.Passwords.MinLength)
}

// A long document is not kept, so that previews of many fill no memory.
func TestALongDocumentIsNotKept(t *testing.T) {
	d := cache.NewDocuments()
	long := lamps + strings.Repeat("# nothing\n", 2000)
	first, err := d.Parse(long)
	require.NoError(t, err)
	again, err := d.Parse(long)
	require.NoError(t, err)
	assert.NotSame(t, first, again)
	assert.Equal(t, first, again)
}
