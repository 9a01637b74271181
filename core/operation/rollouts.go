package operation

import "rankwarden.example/core/rights"

// Rollouts.
var (
	ListRollouts = declare(Operation{
		ID: "list-rollouts", Method: get, Path: "/rollouts", Right: rights.Look, Budget: Small,
		Summary: "Rollouts, the latest first",
	})
	RolloutDefaults = declare(Operation{
		ID: "rollout-defaults", Method: get, Path: "/rollout-defaults", Right: rights.Look, Budget: Small,
		Summary: "How a change goes out where nothing else is said",
	})
	ShowRollout = declare(Operation{
		ID: "show-rollout", Method: get, Path: "/rollouts/{name}", Right: rights.Look, Budget: Small,
		Summary: "Show the rollout of a change: its waves, gates and decisions",
	})
	RolloutDevices = declare(Operation{
		ID: "rollout-devices", Method: get, Path: "/rollouts/{name}/devices", Right: rights.Look, Budget: Small,
		Summary: "What devices made of the change of a rollout, by name",
	})
	StartRollout = declare(Operation{
		ID: "start-rollout", Method: post, Path: "/rollouts", Right: rights.Deploy, Budget: Edit,
		Action:  "rollout.started",
		Gated:   true,
		Summary: "Take a change out wave by wave, or have it wait for a second person",
	})
	PauseRollout = declare(Operation{
		ID: "pause-rollout", Method: post, Path: "/rollouts/{name}/pause", Right: rights.Deploy, Budget: Small,
		Action:  "rollout.paused",
		Summary: "Hold a rollout: no wave opens",
	})
	ResumeRollout = declare(Operation{
		ID: "resume-rollout", Method: post, Path: "/rollouts/{name}/resume", Right: rights.Deploy, Budget: Edit,
		Action:  "rollout.resumed",
		Gated:   true,
		Summary: "Go on with a rollout that is paused or stopped, with its change as it is now",
	})
	OpenWave = declare(Operation{
		ID: "open-wave", Method: post, Path: "/rollouts/{name}/open", Right: rights.Deploy, Budget: Small,
		Action:  "rollout.opened_early",
		Summary: "Open the next wave before its gate is passed, or ask a second person to",
	})
	RevertRollout = declare(Operation{
		ID: "revert-rollout", Method: post, Path: "/rollouts/{name}/revert", Right: rights.Deploy, Budget: Small,
		Action:  "rollout.reverted",
		Summary: "Take the change back from every device that has it",
	})
)
