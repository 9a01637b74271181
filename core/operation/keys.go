package operation

import "rankwarden.example/core/rights"

// Escrow and recovery keys.
var (
	ListEscrowKeys = declare(Operation{
		ID: "list-escrow-keys", Method: get, Path: "/escrow-keys", Right: rights.Administer, Budget: Small,
		Summary: "All escrow and recovery keys, by number; they are few",
	})
	CreateEscrowKey = declare(Operation{
		ID: "create-escrow-key", Method: post, Path: "/escrow-keys", Right: rights.Administer, Budget: Small,
		Action: "keys.made", Status: noContent,
		Summary: "Enter the public half of a new key; it is used once a copy of the private half was proved",
	})
	ChallengeEscrowKey = declare(Operation{
		ID: "challenge-escrow-key", Method: post, Path: "/escrow-keys/{number}/challenge", Right: rights.Administer,
		Budget:  Small,
		Action:  "keys.challenged",
		Summary: "A challenge that only the private half of a new key opens",
	})
	ProveEscrowKey = declare(Operation{
		ID: "prove-escrow-key", Method: post, Path: "/escrow-keys/{number}/proof", Right: rights.Administer,
		Budget: Small,
		Action: "keys.proved", Status: noContent,
		Summary: "Prove with the answer to its challenge that a copy of a key exists, so that it goes live",
	})
	RetireEscrowKey = declare(Operation{
		ID: "retire-escrow-key", Method: post, Path: "/escrow-keys/{number}/retire", Right: rights.Administer,
		Budget: Small,
		Action: "keys.retired", Status: noContent,
		Summary: "Seal nothing new to a key",
	})
	ResealEscrowKey = declare(Operation{
		ID: "reseal-escrow-key", Method: post, Path: "/escrow-keys/{number}/reseal", Right: rights.Administer,
		Budget: Small,
		Action: "keys.reseal_begun", Status: noContent,
		Summary: "Seal the deposits of a retired key to the newest live one, in the background",
	})
	StopReseal = declare(Operation{
		ID: "stop-reseal", Method: remove, Path: "/escrow-keys/{number}/reseal", Right: rights.Administer,
		Budget: Small,
		Action: "keys.reseal_stopped", Status: noContent,
		Summary: "Stop sealing again; what was sealed stays so",
	})
	DecideEscrowKey = declare(Operation{
		ID: "decide-escrow-key", Method: post, Path: "/escrow-keys/{number}/decision", Right: rights.Administer,
		Budget: Small,
		Action: "keys.decided", Status: noContent,
		Decides: true,
		Summary: "Approve or decline what waits for a second owner of a key",
	})
	ListUnrecoveredPasswords = declare(Operation{
		ID: "list-unrecovered-passwords", Method: get, Path: "/unrecovered-passwords", Right: rights.Administer,
		Budget:  Small,
		Summary: "Current passwords without a copy for a recovery key, by device",
	})
)
