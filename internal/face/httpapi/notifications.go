package httpapi

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/notify"
	"rankwarden.example/internal/store"
)

// viewTarget shows a target without its secret.
func viewTarget(t notify.Target) api.NotificationTarget {
	view := api.NotificationTarget{
		Name: t.Name, Kind: t.Kind, Address: t.Address, Events: append([]string{}, t.Events...),
		Groups:  append([]string{}, t.Groups...),
		Enabled: t.Enabled, From: t.Settings.From, To: append([]string{}, t.Settings.To...), User: t.Settings.User,
		CA: t.Settings.CA,
		HasPassword: t.Kind == store.TargetMail &&
			len(t.Secret) > 0, CreatedBy: t.CreatedBy, CreatedAt: t.CreatedAt, Version: t.Version,
		Waiting: t.Waiting, Failed: t.Failed, Failures: t.Failures, Error: t.Error, DeliveredAt: t.DeliveredAt,
	}
	if t.Failures > 0 {
		view.NextAttempt = &t.NextAt
	}
	return view
}

func viewDelivery(d store.Delivery) api.Delivery {
	return api.Delivery{
		ID: d.ID, Target: d.Target, State: d.State, Attempts: d.Attempts, Error: d.Error, Event: d.Kind,
		EventID: d.Notification.ID,
		Subject: d.Subject, Message: d.Words, At: d.At, CreatedAt: d.CreatedAt, EndedAt: d.EndedAt,
	}
}

func specOf(s api.NotificationTargetSpec) notify.Spec {
	return notify.Spec{
		Kind: s.Kind, Address: s.Address, Events: s.Events, Groups: s.Groups, Enabled: s.Enabled, From: s.From,
		To: s.To, User: s.User,
		Password: s.Password, CA: s.CA, NewSecret: s.NewSecret,
	}
}

// newTarget is the answer to the creation of a target, the only one that has the secret of a webhook.
type newTarget struct {
	ETag string `header:"ETag"`
	Body api.NewNotificationTarget
}

func answerTarget(t notify.Target, secret string) *newTarget {
	return &newTarget{tagged(t.Version, 0).ETag,
		api.NewNotificationTarget{NotificationTarget: viewTarget(t), Secret: secret}}
}

func (a *routes) notificationsRoutes() {
	register(a, operation.ListNotificationTargets, a.listNotificationTargets)
	register(a, operation.ShowNotificationTarget, a.showNotificationTarget)
	register(a, operation.CreateNotificationTarget, a.createNotificationTarget)
	register(a, operation.EditNotificationTarget, a.editNotificationTarget)
	register(a, operation.DeleteNotificationTarget, a.deleteNotificationTarget)
	register(a, operation.TestNotificationTarget, a.testNotificationTarget)
	register(a, operation.SendAgain, a.sendAgain)
	register(a, operation.ListDeliveries, a.listDeliveries)
}

// creation is the request to create a target.
type creation struct {
	Body struct {
		Name string `json:"name" minLength:"1" maxLength:"63"`
		api.NotificationTargetSpec
	}
}

func (a *routes) listNotificationTargets(
	ctx context.Context, _ rights.Identity, in *PageQuery,
) (*List[api.NotificationTarget], error) {
	list, next, err := a.Notify.Targets(ctx, in.page())
	return listOf(list, next, err, viewTarget)
}

func (a *routes) showNotificationTarget(
	ctx context.Context, _ rights.Identity, in *NamePath,
) (*WithETag[api.NotificationTarget], error) {
	t, err := a.Notify.Target(ctx, in.Name)
	return tagged(t.Version, viewTarget(t)), err
}

func (a *routes) createNotificationTarget(ctx context.Context, who rights.Identity, in *creation) (*newTarget, error) {
	t, secret, err := a.Notify.AddTarget(ctx, who, in.Body.Name, specOf(in.Body.NotificationTargetSpec))
	return answerTarget(t, secret), err
}

func (a *routes) editNotificationTarget(ctx context.Context, who rights.Identity, in *struct {
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
}

func (a *routes) deleteNotificationTarget(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
}) (*Empty, error) {
	version, err := in.version()
	if err != nil {
		return nil, err
	}
	return &Empty{}, a.Notify.DeleteTarget(ctx, who, in.Name, version)
}

func (a *routes) testNotificationTarget(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*struct{ Body api.TargetTest }, error) {
	failed, err := a.Notify.Try(ctx, who, in.Name)
	out := api.TargetTest{Arrived: failed == nil}
	if failed != nil {
		out.Error = failed.Error()
	}
	return &struct{ Body api.TargetTest }{out}, err
}

func (a *routes) sendAgain(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Delivery int64 `query:"delivery" minimum:"0" doc:"Only this one; all when left out"`
}) (*struct{ Body api.SentAgain }, error) {
	n, err := a.Notify.SendAgain(ctx, who, in.Name, in.Delivery)
	return &struct{ Body api.SentAgain }{api.SentAgain{Deliveries: n}}, err
}

func (a *routes) listDeliveries(ctx context.Context, _ rights.Identity, in *struct {
	PageQuery
	Target string `query:"target"`
	State  string `query:"state" enum:"waiting,delivered,failed"`
	Event  string `query:"event"`
}) (*List[api.Delivery], error) {
	list, next, err := a.Notify.Deliveries(ctx, notify.Query{Target: in.Target, State: in.State, Kind: in.Event},
		in.page())
	return listOf(list, next, err, viewDelivery)
}
