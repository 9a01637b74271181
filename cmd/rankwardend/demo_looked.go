package main

import (
	"context"

	"rankwarden.example/api"
)

// looked is how the people of the demo answer when they are asked to look first: they know what they do.
func looked(context.Context, *api.Preview) (reason string, err error) {
	return "the start of the demo", nil
}
