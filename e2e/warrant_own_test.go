package e2e

import (
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/client"
	"rankwarden.example/core/rights"
	standin "rankwarden.example/demo/provider"
	"rankwarden.example/internal/wire/oidc"
)

// posts sends a document as whoever is signed in.
func (b *surfer) posts(path, document string) (status int, text string) {
	resp, err := b.Post(b.s.URL+"/api/v1"+path, "application/json", strings.NewReader(document))
	require.NoError(b.s.t, err)
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	require.NoError(b.s.t, err)
	return resp.StatusCode, string(data)
}

// Whom the identity provider gives the role asks for themselves, in reach, and for nobody else; somebody else agrees.
func TestAskingForOneself(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.ImportDirectory(ctx, []byte(demoDirectory(t)), false, false)
	require.NoError(t, err)
	s.enrolled("SKL-TKT-001")
	s.enrolled("SKL-HQ-001")
	_, err = s.owner.CreateGroup(ctx, client.GroupSpec{Name: "desks", Devices: []string{"SKL-TKT-001"}})
	require.NoError(t, err)
	p := s.withProvider()
	p.People = append(p.People, standin.Person{Subject: "5", Name: "Tormod.Skye@skerryline.example",
		Groups: []string{"crew"}})
	s.config.Provider.Roles = append(s.config.Provider.Roles, oidc.Mapping{Group: "crew",
		Grant: rights.Grant{Role: rights.Requester, Groups: []string{"desks"}}})
	s.restart()
	b := s.surfer()
	status, page := b.enters("5", "")
	require.Equal(t, http.StatusOK, status, page)
	asking := func(who, device string) (int, string) {
		return b.posts("/warrants", `{"principal": "`+who+`", "devices": ["`+device+`"], "minutes": 60, "reason": "r"}`)
	}
	status, text := asking("user:asta.holm@skerryline.example", "SKL-TKT-001")
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, text, "you may ask for yourself alone, as user:tormod.skye@skerryline.example")
	status, _ = asking("local:clerk", "SKL-TKT-001")
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = asking("user:tormod.skye@skerryline.example", "SKL-HQ-001")
	assert.Equal(t, http.StatusNotFound, status, "out of reach")
	status, text = asking("user:tormod.skye@skerryline.example", "SKL-TKT-001")
	require.Equal(t, http.StatusCreated, status, text)
	assert.Contains(t, text, `"state":"waiting"`)
	_, after, _ := strings.Cut(text, `"id":"`)
	id, _, _ := strings.Cut(after, `"`)
	status, _ = b.posts("/warrants/"+id+"/decision", `{"agree": true}`)
	assert.Equal(t, http.StatusForbidden, status, "nobody agrees to their own")
	require.NoError(t, s.owner.DecideWarrant(ctx, id, true, ""))
	status, text = b.posts("/warrants/"+id+"/end", `{}`)
	assert.Equal(t, http.StatusNoContent, status, text)

	// A name of our own is nobody of the directory.
	own := s.as("runa.breck@skerryline.example", "requester")
	_, err = own.AskWarrant(ctx, asks("user:runa.breck@skerryline.example", "SKL-TKT-001"))
	problem(t, err, http.StatusForbidden, "only whoever signs in with the identity provider")
}
