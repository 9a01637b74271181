package main

import (
	"context"

	"rankwarden.example/internal/agent/host/hosttest"
	"rankwarden.example/internal/agent/host/linux"
	"rankwarden.example/internal/agent/host/linux/hands"
)

// openThis takes over the workstation that the agent runs on, or only looks at it.
func openThis(ctx context.Context, dir string, look bool) (machine, error) {
	begin := linux.Open
	if look {
		begin = linux.Look
	}
	h, err := begin(ctx, dir, linux.SystemTools)
	if err != nil {
		return machine{}, err
	}
	bench := func(second func() error) *hosttest.Bench {
		at := hands.Here()
		return &hosttest.Bench{
			Host:   h,
			SignIn: at.SignIn,
			Stay:   at.Stay,
			Change: at.Change,
			Later:  at.Later,
			Second: second,
			Hidden: at.Hidden(),
			Deeds:  at.Deeds(),
		}
	}
	return machine{h, bench, func() error { return nil }}, nil
}
