package demo

import (
	"context"
	"errors"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// Receivers are the addresses of the stand-ins that notifications go to.
type Receivers struct{ Webhook, Syslog, Mail string }

// Targets sets the notification targets of the organisation up, or says where they are now.
func Targets(ctx context.Context, owner *client.Client, at Receivers) error {
	for name, spec := range map[string]api.NotificationTargetSpec{
		"service-desk": {Kind: "webhook", Address: at.Webhook,
			Events: []string{"password_viewed", "rollout_stopped", "edit_braked", "administrators_altered",
				"sealed_owner_used"}},
		"archive": {Kind: "syslog", Address: at.Syslog, Events: []string{"checkpoint_signed", "trail_entry"}},
		"night-watch": {Kind: "mail", Address: at.Mail,
			Events: []string{"device_silent", "device_held", "finding_opened", "trail_broken"},
			From:   "warden@skerryline.example", To: []string{"night.watch@skerryline.example"}},
		// Nobody listens there any more, as it goes with pagers.
		"old-pager": {Kind: "webhook", Address: "http://127.0.0.1:1/page", Events: []string{"rollout_stopped"}},
	} {
		spec.Enabled, spec.Groups = true, []string{}
		found, err := owner.NotificationTarget(ctx, name)
		var problem *client.Problem
		switch {
		case err == nil && found.Address != spec.Address:
			_, err = owner.EditNotificationTarget(ctx, name, found.Version, spec)
		case errors.As(err, &problem) && problem.Status == http.StatusNotFound:
			_, err = owner.CreateNotificationTarget(ctx, name, spec)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
