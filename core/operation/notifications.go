package operation

import "rankwarden.example/core/rights"

// Notification targets and deliveries.
var (
	ListNotificationTargets = declare(Operation{
		ID: "list-notification-targets", Method: get, Path: "/notification-targets", Right: rights.Administer,
		Budget:  Small,
		Summary: "Notification targets by name",
	})
	ShowNotificationTarget = declare(Operation{
		ID: "show-notification-target", Method: get, Path: "/notification-targets/{name}", Right: rights.Administer,
		Budget:  Small,
		Summary: "One notification target",
	})
	CreateNotificationTarget = declare(Operation{
		ID: "create-notification-target", Method: post, Path: "/notification-targets", Right: rights.Administer,
		Budget: Small,
		Action: "notifications.target_created", Status: created,
		Summary: "Create a notification target",
	})
	EditNotificationTarget = declare(Operation{
		ID: "edit-notification-target", Method: put, Path: "/notification-targets/{name}", Right: rights.Administer,
		Budget:  Small,
		Action:  "notifications.target_changed",
		Summary: "Edit a notification target",
	})
	DeleteNotificationTarget = declare(Operation{
		ID: "delete-notification-target", Method: remove, Path: "/notification-targets/{name}",
		Right: rights.Administer, Budget: Small,
		Action: "notifications.target_deleted", Status: noContent,
		Summary: "Delete a notification target, with its deliveries",
	})
	TestNotificationTarget = declare(Operation{
		ID: "test-notification-target", Method: post, Path: "/notification-targets/{name}/test",
		Right: rights.Administer, Budget: Small,
		Action:  "notifications.target_tested",
		Summary: "Send a test message to a target now",
	})
	SendAgain = declare(Operation{
		ID: "send-again", Method: post, Path: "/notification-targets/{name}/send-again", Right: rights.Administer,
		Budget:  Small,
		Action:  "notifications.sent_again",
		Summary: "Send failed deliveries to a target again: one, or all",
	})
	ListDeliveries = declare(Operation{
		ID: "list-deliveries", Method: get, Path: "/deliveries", Right: rights.Administer, Budget: Small,
		Summary: "Deliveries of notifications, latest first",
	})
)
