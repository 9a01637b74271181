package e2e

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/assign"
)

// Whatever somebody with less than the whole reach does with a rule, the answer is the same whether it holds for
// devices that they do not see or not.
func TestNobodyReadsOtherDevicesWithRules(t *testing.T) {
	s := startTogether(t)
	ctx := t.Context()
	s.publish("base", "lockout: {threshold: 5}", 0)
	for name, device := range map[string]string{"desks": "SKL-TKT-001", "offices": "SKL-HQ-001"} {
		_, err := s.owner.CreateGroup(ctx, client.GroupSpec{Name: name, Devices: []string{device}})
		require.NoError(t, err)
		s.enrolled(device)
	}
	deployer := s.as("bridge", "deployer", "desks")
	author := s.as("quill", "author", "desks")
	both := s.person("tiller", api.Role{Role: "author", Groups: []string{"desks"}},
		api.Role{Role: "deployer", Groups: []string{"desks"}})

	for name, who := range map[string]*client.Client{"deployer": deployer, "author": author, "both": both} {
		hit := s.probes(who, name+"-hit", `device.name == "SKL-HQ-001"`)
		miss := s.probes(who, name+"-hot", `device.name == "SKL-ZZ-999"`)
		assert.Equal(t, miss, hit, name)
	}
	_, err := deployer.CreateGroup(ctx, client.GroupSpec{Name: "ours", Rule: "true"})
	require.NoError(t, err)
	_, err = deployer.CreateAssignment(ctx, "kept", api.Aim{Policy: "base", Include: []string{"ours"},
		Within: []string{"desks"}, Rank: 300})
	require.NoError(t, err, "what is kept within their reach is theirs to aim")
	g, err := deployer.Group(ctx, "ours")
	require.NoError(t, err)
	rule := `device.name != "SKL-ZZ-999"`
	_, err = deployer.EditGroup(ctx, "ours", client.GroupEdit{Rule: &rule}, g.Version)
	require.NoError(t, err)
}

// probes tries a rule in every way there is, and gives what came back, without what the caller chose.
func (s *service) probes(who *client.Client, name, rule string) (answers []string) {
	ctx := s.t.Context()
	own := regexp.MustCompile(regexp.QuoteMeta(name) + `|SKL-(HQ-001|ZZ-999)|sha-256:\w+|"(id|at|\w+_at)":"[^"]*"`)
	note := func(what string, got any, err error) {
		said := ""
		if err != nil {
			said = err.Error()
			if p := (*client.Problem)(nil); errors.As(err, &p) {
				said = fmt.Sprint(p.Status, p.Code, p.Detail)
			}
		} else if data, err := json.Marshal(got); err == nil {
			said = string(data)
		}
		answers = append(answers, what+": "+own.ReplaceAllString(said, "…"))
	}
	trial, err := who.TestRule(ctx, rule)
	note("trial", trial, err)
	g, err := who.CreateGroup(ctx, client.GroupSpec{Name: name, Rule: rule})
	note("group", g, err)
	got, err := who.Group(ctx, name)
	note("read", got, err)
	again := rule + " && true"
	g, err = who.EditGroup(ctx, name, client.GroupEdit{Rule: &again}, 1)
	note("edit", g, err)
	drafted := name + "-drafted"
	edits := []api.ChangeEdit{
		{Kind: "group", Name: drafted, Group: &api.GroupBody{Rule: rule}},
		{Kind: "assign", Name: name, Assignment: &api.Aim{Policy: "base", Include: []string{drafted}, Rank: 400}},
	}
	p, err := who.PreviewEdits(ctx, edits)
	note("preview", p, err)
	c, err := who.CreateChange(ctx, drafted, "", "")
	note("change", c.State, err)
	for _, e := range edits {
		r, err := who.AddEdit(ctx, drafted, e)
		note("add", r.Change.State, err)
	}
	p, err = who.PreviewChange(ctx, drafted)
	note("preview of the change", p, err)
	step, err := who.ApplyChange(ctx, drafted, p.Digest)
	note("apply", step, err)
	for i, aim := range []api.Aim{
		{Include: []string{name}},
		{Include: []string{"desks", "offices"}, Exclude: []string{name}},
		{Include: []string{"everything"}, Within: []string{name}},
	} {
		aim.Policy, aim.Rank = "base", assign.Rank(400)
		_, err := who.CreateAssignment(ctx, name, aim)
		note(fmt.Sprint("aim ", i), nil, err)
	}
	note("remove", nil, who.DeleteGroup(ctx, name, 2))
	return answers
}
