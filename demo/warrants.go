package demo

import (
	"context"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// AskWarrants has the support ask for a warrant, which waits, and the owner for two, to which a deployer agrees: one
// runs, the other begins later. It is done once.
func AskWarrants(ctx context.Context, now time.Time, night, owner, deployer *client.Client) error {
	there, err := owner.Warrants(ctx, client.WarrantQuery{}, client.Page{Limit: 1})
	if err != nil || len(there.Items) > 0 {
		return err
	}
	w, err := owner.AskWarrant(ctx, api.WarrantSpec{Principal: "user:asta.holm@skerryline.example",
		Devices: []string{"SKL-HQ-006"}, Minutes: 240, Reason: "moves the accounts package", Ticket: "4709"})
	if err != nil {
		return err
	}
	if w.State == "waiting" {
		if err := deployer.DecideWarrant(ctx, w.ID, true, "as planned"); err != nil {
			return err
		}
	}
	tonight := now.Add(5 * time.Hour).Truncate(time.Hour)
	w, err = owner.AskWarrant(ctx, api.WarrantSpec{Principal: "user:tormod.skye@skerryline.example", From: &tonight,
		Devices: []string{"SKL-WKS-004"}, Minutes: 120, Reason: "reads the meters over night", Ticket: "4713"})
	if err != nil {
		return err
	}
	if w.State == "waiting" {
		if err := deployer.DecideWarrant(ctx, w.ID, true, "as every quarter"); err != nil {
			return err
		}
	}
	_, err = night.AskWarrant(ctx, api.WarrantSpec{Principal: "group:Workshop Leads@skerryline.example",
		Devices: []string{"SKL-BRG-007", "SKL-BRG-008"}, Minutes: 120, Reason: "new chart printer before departure",
		Ticket: "4712"})
	return err
}
