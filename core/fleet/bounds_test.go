package fleet

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFactsOfAnOrganisationAreBounded(t *testing.T) {
	tags := func(n int) []string {
		list := make([]string, n)
		for i := range list {
			list[i] = "a"
		}
		return list
	}
	assert.NoError(t, CheckTags(tags(mostTags)))
	assert.ErrorContains(t, CheckTags(tags(mostTags+1)), "tags are too many")
	for _, bad := range []string{"", " a", "a ", strings.Repeat("a", longestTag+1), "a\u202eb"} {
		assert.Error(t, CheckTags([]string{bad}), "%q", bad)
	}
	for path, fine := range map[string]bool{
		"": true, "north": true, "north/kirkness/desk": true, "/north": false, "north//desk": false,
		"north/ desk":                false,
		strings.Repeat("a", MaxPath): true, strings.Repeat("a", MaxPath+1): false,
	} {
		assert.Equal(t, fine, CheckPath(path) == nil, "%q", path)
	}
}

func TestARuleHasABoundedLength(t *testing.T) {
	rule := `device.path == "` + strings.Repeat("a", MaxRule) + `"`
	_, err := ParseRule(rule[:MaxRule-2] + `"`)
	assert.NoError(t, err)
	_, err = ParseRule(rule)
	assert.ErrorContains(t, err, "bytes; at most")
}
