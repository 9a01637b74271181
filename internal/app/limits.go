package app

import (
	"context"
	"strings"
	"time"

	"github.com/valyala/fasthttp"

	"rankwarden.example/internal/face/httpapi"
	"rankwarden.example/internal/wire/protocol"
)

// small is the largest request of somebody who is not signed in, in bytes, outside of the device protocol.
const small = 16 << 10

// bodyLimit is how much of a request is read, in bytes. It is decided before anything of the body is
// read: more than a little only of who is signed in.
func (s *Server) bodyLimit(header *fasthttp.RequestHeader) int {
	path, _, _ := strings.Cut(string(header.RequestURI()), "?")
	switch {
	case path == protocol.PathEnrol:
		return small
	case strings.HasPrefix(path, protocol.PathPrefix):
		return protocol.MaxRequest
	case !strings.HasPrefix(path, httpapi.Base+"/"):
		return small
	}
	limit := httpapi.Limit(path)
	if n := header.ContentLength(); n >= 0 && n <= small || limit <= small {
		return small
	}
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if !s.api.SignedIn(ctx, header) {
		return small
	}
	return limit
}
