package e2e

import (
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/gate"
	"rankwarden.example/internal/room/notify"
)

// What an import, a rule or a change of facts would alter on many devices waits: nothing of it is done, everything else
// goes on, and a person releases or refuses it.
func TestTheBrakeHoldsWhatAltersManyDevices(t *testing.T) {
	s := notified(t)
	ctx := t.Context()
	s.config.Brake = gate.DefaultBrake
	s.restart()
	told := s.webhook("desk", notify.EditBraked)
	leads := func(id int) []byte {
		return fmt.Appendf(
			nil,
			"dn: cn=Workshop Leads,ou=groups,dc=skerryline,dc=example\nobjectClass: group\ncn: Workshop Leads\n"+
				"sAMAccountName: Workshop Leads\nobjectSid: S-1-5-21-70-80-90-%d\n",
			id,
		)
	}
	_, err := s.owner.ImportDirectory(ctx, leads(1402), true, false)
	require.NoError(t, err, "nothing names anybody yet")
	s.rule("kiosks", `"kiosk" in device.tags`)
	s.publish("base", leadsIn, 500, "everything")
	s.publish("kiosk", "passwords: {history: 5}", 100, "kiosks")
	facts := []api.Facts{}
	tags := []string{"kiosk"}
	for i := range 8 {
		name := fmt.Sprintf("SKL-WKS-%03d", i+1)
		s.enrolled(name)
		facts = append(facts, api.Facts{Device: name, Tags: &tags})
	}
	waiting := func() []api.Held {
		list, err := s.owner.Brakes(ctx, false, client.Page{})
		require.NoError(t, err)
		return list.Items
	}
	history := func(name string) string {
		s.settled()
		for _, u := range s.why(name).Units {
			if u.Unit == "passwords.history" {
				return u.Desired
			}
		}
		return ""
	}

	// Facts: five devices may be altered at once, and eight wait.
	require.NoError(t, s.owner.SetFacts(ctx, facts[:2]))
	assert.Equal(t, "5 remembered", history("SKL-WKS-002"))
	err = s.owner.SetFacts(ctx, facts)
	p := problem(
		t,
		err,
		http.StatusConflict,
		"this would alter the desired state of 6 of 8 devices, so it waits for a decision",
	)
	assert.Equal(t, "brake_holds", p.Code)
	assert.Empty(t, history("SKL-WKS-003"))
	require.Len(t, waiting(), 1)
	held := waiting()[0]
	assert.Equal(
		t,
		[]any{"facts", "a change of facts would alter the desired state of 6 devices of 8", "asta", 0},
		[]any{
			held.Kind, held.Words, held.AskedBy, held.Leaving,
		},
	)
	require.Len(t, held.Sums, 1)
	assert.Equal(t, "history gets stricter: 0 remembered → 5 remembered", held.Sums[0].Words)
	require.NoError(t, s.owner.SetFacts(ctx, facts[2:3]), "everything else goes on")
	assert.Equal(t, "5 remembered", history("SKL-WKS-003"))
	deployer := s.as("sigurd", "deployer")
	_, err = deployer.DecideBrake(ctx, held.ID, true, "seen")
	problem(t, err, http.StatusForbidden, "may not do this")
	_, err = s.owner.DecideBrake(ctx, held.ID, true, " ")
	problem(t, err, http.StatusUnprocessableEntity, "say why")
	done, err := s.owner.DecideBrake(ctx, held.ID, true, "the desks at the quay")
	require.NoError(t, err)
	assert.Equal(t, []string{"released", "asta"}, []string{done.State, done.DecidedBy})
	assert.Equal(t, "5 remembered", history("SKL-WKS-008"))
	_, err = s.owner.DecideBrake(ctx, held.ID, false, "again")
	problem(t, err, http.StatusConflict, "it was released by asta already")

	// A rule is written by a person, who must look at what it does first.
	g, err := s.owner.Group(ctx, "kiosks")
	require.NoError(t, err)
	none := `"counter" in device.tags`
	_, err = s.owner.Look(nil).EditGroup(ctx, "kiosks", client.GroupEdit{Rule: &none}, g.Version)
	p = problem(t, err, http.StatusConflict, "it would alter the desired state of 8 of 8 devices")
	assert.Equal(t, "look_first", p.Code)
	require.NotNil(t, p.Preview)
	assert.Equal(t, 8, p.Preview.Devices)
	s.owner.Look(hasLooked)
	assert.Empty(t, waiting())
	assert.Equal(t, "5 remembered", history("SKL-WKS-008"))
	kept, err := s.owner.Group(ctx, "kiosks")
	require.NoError(t, err)
	assert.Equal(t, `"kiosk" in device.tags`, kept.Rule)

	// An import: somebody whom a policy names has another identifier.
	_, err = s.owner.ImportDirectory(ctx, leads(1499), true, false)
	problem(t, err, http.StatusConflict, "8 of 8 devices")
	_, err = s.owner.DecideBrake(ctx, waiting()[0].ID, true, "the group was made anew")
	require.NoError(t, err)
	found, err := s.owner.Directory(ctx, "workshop leads", "group", client.Page{})
	require.NoError(t, err)
	assert.Equal(t, "S-1-5-21-70-80-90-1499", found.Items[0].SID)
	braked, err := s.owner.Trail(ctx, client.TrailQuery{Action: "brake.held"}, client.Page{})
	require.NoError(t, err)
	require.NotEmpty(t, braked.Items)
	s.eventually(func() bool { return len(told.Events()) == len(braked.Items) }, "each was told")
	assert.Regexp(t, "waits for a decision: it would alter [68] devices", told.Events()[0].Data.Message)
}
