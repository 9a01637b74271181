package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"rankwarden.example/core/rights"
	"rankwarden.example/demo"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/kit/atomicfile"
	"rankwarden.example/internal/room/access"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/escrow"
	"rankwarden.example/internal/wire/protocol"
)

const (
	escrowFile   = "escrow-keys.json"
	escrowCopy   = "escrow-keys-copy.json"
	recoveryFile = "recovery-key.json"
)

// escrow makes the keys that passwords are sealed to, and proves a copy of each, as an owner would on
// the first day.
func (d *demoRun) escrow(ctx context.Context) error {
	svc, who := d.server.Passwords, uow.Console("demo")
	keys, _, err := svc.EscrowKeys(ctx)
	if err != nil {
		return err
	}
	for _, k := range keys {
		if k.State == store.KeyLive {
			return nil
		}
	}
	for use, name := range map[string]string{protocol.UseEscrow: escrowFile, protocol.UseRecovery: recoveryFile} {
		path := filepath.Join(d.dir, name)
		number, err := svc.MakeEscrowKey(ctx, who, use, path)
		if err != nil {
			return err
		}
		copied := path
		if use == protocol.UseEscrow {
			data, err := os.ReadFile(path)
			if err != nil {
				return fmt.Errorf("copying the escrow keys: %w", err)
			}
			copied = filepath.Join(d.dir, escrowCopy)
			if err := atomicfile.Write(copied, data, 0o600); err != nil {
				return fmt.Errorf("copying the escrow keys: %w", err)
			}
		}
		ring, err := escrow.ReadRing(copied)
		if err != nil {
			return err
		}
		if err := svc.ProveByCopy(ctx, who, number, ring); err != nil {
			return err
		}
	}
	return svc.ReloadKeys(ctx)
}

// owner makes the first operator, who is support as well.
func (d *demoRun) owner(ctx context.Context, password string) error {
	made, err := d.server.Access.EnsureOwner(ctx, demo.Owner, password)
	if err != nil || !made {
		return err
	}
	_, err = d.server.Access.ChangeOperator(ctx, uow.Console("demo"), demo.Owner,
		access.OperatorChange{Grants: []rights.Grant{{Role: rights.Owner}, {Role: rights.Support}}})
	return err
}
