package edit_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/edit"
)

// The shape that is sent is the shape that is stored, and an edit has what its kind needs and nothing else.
func TestTheShapeOfAnEdit(t *testing.T) {
	everything := edit.Edit{Name: "lamps", BasedOn: 3, Document: "d", Assignment: &edit.Aim{Policy: "p", Rank: 7},
		Group: &edit.GroupBody{Rule: "true"}}
	for kind, want := range map[edit.Kind]string{
		edit.Publish:   `{"kind":"publish","name":"lamps","based_on":3,"document":"d"}`,
		edit.Assign:    `{"kind":"assign","name":"lamps","based_on":3,"assignment":{"policy":"p","include":null,"rank":7}}`,
		edit.Withdraw:  `{"kind":"withdraw","name":"lamps","based_on":3}`,
		edit.Group:     `{"kind":"group","name":"lamps","based_on":3,"group":{"rule":"true"}}`,
		edit.DropGroup: `{"kind":"drop_group","name":"lamps","based_on":3}`,
	} {
		e := everything
		e.Kind = kind
		data, err := json.Marshal(e.Trimmed())
		require.NoError(t, err)
		assert.Equal(t, want, string(data))
		var back edit.Edit
		require.NoError(t, json.Unmarshal(data, &back))
		assert.Equal(t, e.Trimmed(), back)
	}
	var named edit.Edit
	require.NoError(t, json.Unmarshal([]byte(`{"name":"piers","assignment":{"Name":"other","rank":7}}`), &named))
	assert.Equal(t, "piers", named.Aimed().Name, "an assignment has the name of its edit")
}

func TestWhatAnEditIsAbout(t *testing.T) {
	for kind, want := range map[edit.Kind]edit.Type{
		edit.Publish: edit.Policies, edit.Assign: edit.Assignments, edit.Withdraw: edit.Assignments,
		edit.Group: edit.Groups, edit.DropGroup: edit.Groups,
	} {
		assert.Equal(t, want, kind.Type(), kind)
	}
}
