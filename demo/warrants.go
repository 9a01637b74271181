package demo

import (
	"context"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// AskWarrants has the support ask for a warrant, which waits, and the owner for one, to which a deployer agrees. It is
// done once.
func AskWarrants(ctx context.Context, night, owner, deployer *client.Client) error {
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
	_, err = night.AskWarrant(ctx, api.WarrantSpec{Principal: "group:Workshop Leads@skerryline.example",
		Devices: []string{"SKL-BRG-007", "SKL-BRG-008"}, Minutes: 120, Reason: "new chart printer before departure",
		Ticket: "4712"})
	return err
}
