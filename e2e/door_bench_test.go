package e2e

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/app"
)

// bigReported is a service with a hundred thousand devices, each with a whole report.
func bigReported(b *testing.B) (string, *client.Client) {
	url, _, c := reportedFleet(b, fleetSize)
	return url, c
}

// reportedFleet is a service with so many devices that have reported as one with twelve accounts does.
func reportedFleet(b *testing.B, devices int) (string, *app.Server, *client.Client) {
	url, s, c := benched(b)
	_, err := c.CreateEnrolmentToken(b.Context(), client.EnrolmentSpec{Note: "bench", Uses: 1, Hours: 1})
	require.NoError(b, err)
	largeFleet(b, url, devices)
	require.NoError(
		b,
		change(b, url, "update device_reports set at = now(), received_at = now(), body = '"+bigReport+"'"),
	)
	require.NoError(b, change(b, url, "update devices d set report_id = r.id, reported_at = r.received_at "+
		"from device_reports r where r.device_id = d.id"))
	require.NoError(b, change(b, url, "vacuum analyze"))
	require.Eventually(b, func() bool {
		n, err := c.Standings(b.Context(), client.DeviceQuery{})
		return err == nil && n.InStep+n.Drifted+n.Held+n.Waiting+n.Silent == devices
	}, patience, 50*time.Millisecond)
	return url, s, c
}

// BenchmarkDoor shows how long the door takes to judge, in a fleet of 100,000: a change that makes an administrator of
// everything, one of a thousand devices, and an edit of one device that goes into force.
func BenchmarkDoor(b *testing.B) {
	_, c := bigReported(b)
	ctx := b.Context()
	p, err := c.CreatePolicy(ctx, document("helpers",
		"membership: [{local_group: administrators, mode: exact, members: [sid:S-1-5-21-1-2-3-1104]}]"))
	require.NoError(b, err)
	_, err = c.PublishPolicy(ctx, "helpers", p.Version)
	require.NoError(b, err)
	page, err := c.Devices(ctx, client.DeviceQuery{}, client.Page{Limit: 500})
	require.NoError(b, err)
	next, err := c.Devices(ctx, client.DeviceQuery{}, client.Page{Limit: 500, Cursor: page.Next})
	require.NoError(b, err)
	names := []string{}
	for _, d := range append(page.Items, next.Items...) {
		names = append(names, d.Name)
	}
	_, err = c.CreateGroup(ctx, client.GroupSpec{Name: "thousand", Devices: names})
	require.NoError(b, err)
	one, err := c.CreateGroup(ctx, client.GroupSpec{Name: "one"})
	require.NoError(b, err)
	_, err = c.CreateAssignment(ctx, "one", api.Aim{Policy: "helpers", Include: []string{"one"}, Rank: 7,
		Stance: "trial"})
	require.NoError(b, err)
	judged := func(b *testing.B, group string) {
		for b.Loop() {
			_, err := c.Look(nil).CreateAssignment(ctx, "aim-"+group, api.Aim{Policy: "helpers",
				Include: []string{group}, Rank: 5})
			var refused *client.Problem
			require.ErrorAs(b, err, &refused)
			require.Equal(b, http.StatusConflict, refused.Status, refused.Detail)
			require.NotNil(b, refused.Preview)
		}
	}
	b.Run("preview-of-everything", func(b *testing.B) {
		for b.Loop() {
			seen, err := c.PreviewEdits(ctx, []api.ChangeEdit{aimAt("helpers", 5, 0, "everything")})
			require.NoError(b, err)
			require.Equal(b, fleetSize, seen.Devices)
		}
	})
	b.Run("everything", func(b *testing.B) { judged(b, "everything") })
	b.Run("a-thousand", func(b *testing.B) { judged(b, "thousand") })
	b.Run("one-into-force", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			device := names[i%len(names)]
			one, err = c.EditGroup(ctx, "one", client.GroupEdit{Add: []string{device}}, one.Version)
			require.NoError(b, err, fmt.Sprint(i))
		}
	})
}
