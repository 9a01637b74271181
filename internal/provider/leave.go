package provider

import "net/url"

// leaveQuery names us by our client identifier, and not by a token that would stand in the address (OpenID Connect
// RP-Initiated Logout 1.0, 2).
func leaveQuery(client, back string) string {
	return url.Values{"client_id": {client}, "post_logout_redirect_uri": {back}}.Encode()
}
