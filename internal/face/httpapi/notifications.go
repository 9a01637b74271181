package httpapi

import (
	"context"
	"net/http"

	"rankwarden.example/api"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/store"
)

func viewTarget(t notify.Target) api.NotificationTarget {
	view := api.NotificationTarget{
		Name: t.Name, Kind: t.Kind, Address: t.Address, Events: append([]string{}, t.Events...), Groups: append([]string{}, t.Groups...),
		Enabled: t.Enabled, From: t.Settings.From, To: append([]string{}, t.Settings.To...), User: t.Settings.User, CA: t.Settings.CA,
		HasPassword: t.Kind == store.TargetMail && len(t.Secret) > 0, CreatedBy: t.CreatedBy, CreatedAt: t.CreatedAt, Version: t.Version,
		Waiting: t.Waiting, Failed: t.Failed, Failures: t.Failures, Error: t.Error, DeliveredAt: t.DeliveredAt,
	}
	if t.Failures > 0 {
		view.NextAttempt = &t.NextAt
	}
	return view
}

func viewDelivery(d store.Delivery) api.Delivery {
	return api.Delivery{
		ID: d.ID, Target: d.Target, State: d.State, Attempts: d.Attempts, Error: d.Error, Event: d.Kind, EventID: d.Notification.ID,
		Subject: d.Subject, Message: d.Words, At: d.At, CreatedAt: d.CreatedAt, EndedAt: d.EndedAt,
	}
}

func specOf(s api.NotificationTargetSpec) notify.Spec {
	return notify.Spec{
		Kind: s.Kind, Address: s.Address, Events: s.Events, Groups: s.Groups, Enabled: s.Enabled, From: s.From, To: s.To, User: s.User,
		Password: s.Password, CA: s.CA, NewSecret: s.NewSecret,
	}
}

type newTarget struct {
	ETag string `header:"ETag"`
	Body api.NewNotificationTarget
}

func answerTarget(t notify.Target, secret string) *newTarget {
	return &newTarget{tagged(t.Version, 0).ETag, api.NewNotificationTarget{NotificationTarget: viewTarget(t), Secret: secret}}
}

func (a *routes) notifications() {
	const path = "/notification-targets"
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: path, id: "list-notification-targets", summary: "Notification targets by name"},
		func(ctx context.Context, _ rights.Identity, in *PageQuery) (*List[api.NotificationTarget], error) {
			list, next, err := a.Notify.Targets(ctx, in.page())
			return listOf(list, next, err, viewTarget)
		})
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: path + "/{name}", id: "show-notification-target", summary: "One notification target"},
		func(ctx context.Context, _ rights.Identity, in *NamePath) (*WithETag[api.NotificationTarget], error) {
			t, err := a.Notify.Target(ctx, in.Name)
			return tagged(t.Version, viewTarget(t)), err
		})
	type creation struct {
		Body struct {
			Name string `json:"name" minLength:"1" maxLength:"63"`
			api.NotificationTargetSpec
		}
	}
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path, id: "create-notification-target", status: http.StatusCreated,
			summary: "Create a notification target", action: "notifications.target_created"},
		func(ctx context.Context, who rights.Identity, in *creation) (*newTarget, error) {
			t, secret, err := a.Notify.AddTarget(ctx, who, in.Body.Name, specOf(in.Body.NotificationTargetSpec))
			return answerTarget(t, secret), err
		})
	register(a, rights.Administer,
		operation{method: http.MethodPut, path: path + "/{name}", id: "edit-notification-target",
			summary: "Edit a notification target", action: "notifications.target_changed"},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			IfMatch
			Body api.NotificationTargetSpec
		}) (*newTarget, error) {
			version, err := in.version()
			if err != nil {
				return nil, err
			}
			t, secret, err := a.Notify.EditTarget(ctx, who, in.Name, version, specOf(in.Body))
			return answerTarget(t, secret), err
		})
	register(a, rights.Administer,
		operation{method: http.MethodDelete, path: path + "/{name}", id: "delete-notification-target", status: http.StatusNoContent,
			summary: "Delete a notification target, with its deliveries", action: "notifications.target_deleted"},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			IfMatch
		}) (*Empty, error) {
			version, err := in.version()
			if err != nil {
				return nil, err
			}
			return &Empty{}, a.Notify.DeleteTarget(ctx, who, in.Name, version)
		})
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path + "/{name}/test", id: "test-notification-target",
			summary: "Send a test message to a target now", action: "notifications.target_tested"},
		func(ctx context.Context, who rights.Identity, in *NamePath) (*struct{ Body api.TargetTest }, error) {
			failed, err := a.Notify.Try(ctx, who, in.Name)
			out := api.TargetTest{Arrived: failed == nil}
			if failed != nil {
				out.Error = failed.Error()
			}
			return &struct{ Body api.TargetTest }{out}, err
		})
	register(a, rights.Administer,
		operation{method: http.MethodPost, path: path + "/{name}/send-again", id: "send-again",
			summary: "Send failed deliveries to a target again: one, or all", action: "notifications.sent_again"},
		func(ctx context.Context, who rights.Identity, in *struct {
			NamePath
			Delivery int64 `query:"delivery" minimum:"0" doc:"Only this one; all when left out"`
		}) (*struct{ Body api.SentAgain }, error) {
			n, err := a.Notify.SendAgain(ctx, who, in.Name, in.Delivery)
			return &struct{ Body api.SentAgain }{api.SentAgain{Deliveries: n}}, err
		})
	register(a, rights.Administer,
		operation{method: http.MethodGet, path: "/deliveries", id: "list-deliveries", summary: "Deliveries of notifications, latest first"},
		func(ctx context.Context, _ rights.Identity, in *struct {
			PageQuery
			Target string `query:"target"`
			State  string `query:"state" enum:"waiting,delivered,failed"`
			Event  string `query:"event"`
		}) (*List[api.Delivery], error) {
			list, next, err := a.Notify.Deliveries(ctx, notify.Query{Target: in.Target, State: in.State, Kind: in.Event}, in.page())
			return listOf(list, next, err, viewDelivery)
		})
}
