// Package agent keeps one device as it should be: it reads the operating system, brings it into
// line with the desired state, reads it back, and reports what is really there.
//
// The order of a pass is safe. What only adds or tightens comes first: rules, then members in.
// Then everything is read back, and only then are members taken out, each under the guard: before
// any removal from administrators a local account must remain that is enabled, not locked and an
// administrator as read back. The guard sits above the host and cannot be switched off. One unit's
// failure does not stop the others, and a pass that was cut short is simply done again.
package agent
