// Package door is what the agent asks of its helper, which goes through the system's own PAM as somebody who signs in
// or changes a password. The helper is a program of its own, since it needs the system's library and the agent does
// not.
package door

// Program is the name of the helper.
const Program = "rankwarden-pam"

// Trial is what is tried, in order. It goes to the helper as JSON through standard input.
type Trial struct {
	ConfDir string `json:"confdir"` // of the files of services
	User    string `json:"user"`
	UID     int    `json:"uid"` // as whom passwords are changed
	Steps   []Step `json:"steps"`
}

// Step is one thing to do. Without Old it is signing in with a password; with it, changing one for another.
type Step struct {
	Service  string `json:"service"`
	Password string `json:"password"`
	Old      string `json:"old,omitempty"`
}

// Outcome is what became of a step.
type Outcome struct {
	Code int    `json:"code"` // of pam(3); 0 is that it was let through
	Name string `json:"name"` // of the code, such as PAM_AUTH_ERR
	Said string `json:"said"` // what the modules said last
}

// Let reports whether it was let through.
func (o Outcome) Let() bool { return o.Code == 0 }
