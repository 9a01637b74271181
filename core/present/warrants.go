package present

import (
	"fmt"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/warrant"
)

// Warrant says what a warrant that runs until a time does to a local group.
func Warrant(holder principal.Ref, does warrant.Effect, until string) string {
	switch does {
	case warrant.Already:
		return fmt.Sprintf("%s is to be a member anyway, and has a warrant until %s", Principal(holder), until)
	case warrant.Overruled:
		return fmt.Sprintf("%s is asked to be no member, so the warrant until %s does nothing", Principal(holder),
			until)
	}
	return fmt.Sprintf("%s is a member by warrant until %s", Principal(holder), until)
}
