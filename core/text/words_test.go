package text_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"rankwarden.example/core/text"
)

// Whoever agrees to a name must be able to read it: no word has letters that are those of another script.
func TestWordsAreOfOneScript(t *testing.T) {
	for s, ok := range map[string]bool{
		"admin": true, "Администраторы": true, "Desk Support": true, "harbour группа": true, "管理者グループ": true,
		"µ-controller β-test": true, "naïve Straße 42": true, "": true,
		"\u0430dmin": false, "desk supp\u03bfrt": false, "fine words and p\u0430ssword": false,
	} {
		assert.Equal(t, ok, text.CheckWords(s) == nil, s)
		assert.Equal(t, ok, text.CheckProse(s) == nil, s)
	}
	assert.ErrorContains(t, text.CheckName("\u0430dmin", 20), "mixes scripts")
}
