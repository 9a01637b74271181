package policy

// maxText is the longest full name or description of an account, in characters.
const maxText = 256

// Bounds of what a document names. People beyond them belong into a group of the directory.
const (
	MaxMembers = 1000 // principals of one list
	MaxNamed   = 5000 // principals of all lists together
)
