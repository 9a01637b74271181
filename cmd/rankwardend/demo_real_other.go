//go:build !linux

package main

import (
	"context"
	"errors"
)

// realWorkstations refuses: namespaces are Linux's.
func (d *demoRun) realWorkstations(_ context.Context, count int) (stop func(), err error) {
	if count > 0 {
		err = errors.New("--real needs a machine with Linux")
	}
	return func() {}, err
}
