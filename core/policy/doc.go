// Package policy reads the policy document: types, checks and normal form.
//
// The way of a document is [Parse] (text to [Document], with every problem it has at once), then
// [Document.Normalise] (to the one form in which documents are compared and settled). A document
// with an error has no normal form.
//
//	format: rankwarden.policy/1
//	name: ticket-desks
//	passwords:
//	  min_length: 14
//	lockout:
//	  threshold: 5
//	  duration: 15m
//	membership:
//	  - local_group: administrators
//	    mode: exact
//	    members: [local:keeper]
//
// No key of the document can hold a password: each device makes its own.
package policy
