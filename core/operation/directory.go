package operation

import "rankwarden.example/core/rights"

// The directory, and what the organisation knows of devices.
var (
	ListDirectory = declare(Operation{
		ID: "list-directory", Method: get, Path: "/directory", Right: rights.Look, Budget: Small,
		Summary: "People and groups of the directory, by any part of a name",
	})
	DirectoryLetters = declare(Operation{
		ID: "directory-letters", Method: get, Path: "/directory/letters", Right: rights.Look, Budget: Small,
		Summary: "How the directory writes the people and groups that policies in force name",
	})
	ImportDirectory = declare(Operation{
		ID: "import-directory", Method: post, Path: "/directory/import", Right: rights.Administer, Budget: File,
		Action:  "directory.imported",
		Gated:   true,
		Summary: "Import people and groups from an LDIF file (RFC 2849)",
	})
	DirectoryConnection = declare(Operation{
		ID: "directory-connection", Method: get, Path: "/directory/connection", Right: rights.Look, Budget: Small,
		Summary: "The connection to a directory and its last run",
	})
	ReadDirectory = declare(Operation{
		ID: "read-directory", Method: post, Path: "/directory/connection/run", Right: rights.Administer, Budget: Small,
		Action:  "directory.read",
		Summary: "Read the directory over the connection now",
	})
	DeleteDirectoryEntry = declare(Operation{
		ID: "delete-directory-entry", Method: post, Path: "/directory/let-go", Right: rights.Administer, Budget: Small,
		Action: "directory.let_go", Status: noContent,
		Summary: "Delete a person or group that vanished from the directory",
	})
	SetDeviceFacts = declare(Operation{
		ID: "set-device-facts", Method: post, Path: "/device-facts", Right: rights.Administer, Budget: Edit,
		Action: "device.facts_set", Status: noContent,
		Gated:   true,
		Summary: "Set organisation facts of devices, all or none",
	})
	TryDeviceFacts = declare(Operation{
		ID: "try-device-facts", Method: post, Path: "/device-facts/trial", Right: rights.Administer, Budget: Whole,
		Reads:   true,
		Summary: "Say what facts would alter, on devices and in groups by rule, without setting them",
	})
	MatchDeviceNames = declare(Operation{
		ID: "match-device-names", Method: post, Path: "/device-names", Right: rights.Look, Budget: Whole,
		Reads:   true,
		Summary: "Which of some names are those of devices",
	})
	PolicySchema = declare(Operation{
		ID: "policy-schema", Method: get, Path: "/policy-schema.json", Right: rights.Anybody, Budget: Small,
		Summary: "JSON Schema (2020-12) of policy documents",
	})
)
