// Package protocol holds the signed documents that the service and its devices exchange.
//
// Every document is a compact JWS (RFC 7515) signed with Ed25519 (RFC 8037). A device's request
// carries, in the manner of ACME (RFC 8555), its key id, the path it is meant for, the time and a
// sequence in the protected header; the service's answer carries the digest of the request it
// answers, so that neither can be replayed to another place. Trust begins with the root key: its
// thumbprint (RFC 7638) stands in the enrolment token, and the root signs the numbered [KeyList]
// that names every other live key.
package protocol
