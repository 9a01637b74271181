package httpapi

import (
	"time"

	"rankwarden.example/internal/base/reach"
)

// PastQuery narrows a list of what happened.
type PastQuery struct {
	Device string    `query:"device" maxLength:"100" doc:"Identifier or name"`
	Group  string    `query:"group" maxLength:"100" doc:"Name of a group"`
	Since  time.Time `query:"since" doc:"Not before this time"`
	Until  time.Time `query:"until" doc:"Before this time"`
}

func (q PastQuery) past() reach.Past {
	return reach.Past{Device: q.Device, Group: q.Group, Since: q.Since, Until: q.Until}
}
