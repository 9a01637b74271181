package demo

import (
	"context"
	"errors"
	"net/http"
	"time"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

// WaivedDevice has two accounts that could be the mooring; somebody accepted that until it is reinstalled.
const WaivedDevice = "SKL-HBR-003"

// Waive accepts what is found on [WaivedDevice], unless that was done before.
func Waive(ctx context.Context, deployer *client.Client, now time.Time) error {
	found, err := deployer.Findings(ctx, client.FindingQuery{Device: WaivedDevice}, client.Page{Limit: 100})
	if err != nil || len(found.Items) == 0 {
		return err
	}
	ids := make([]int64, len(found.Items))
	for i, f := range found.Items {
		ids[i] = f.ID
	}
	_, err = deployer.Waive(
		ctx,
		ids,
		now.AddDate(0, 0, 5),
		"It is reinstalled next week; nobody may sign in there until then",
	)
	return err
}

// ViewPasswords has the support at work: one views two passwords, and another asks for one beyond what they reach. It
// is done once.
func ViewPasswords(ctx context.Context, night, desk *client.Client) error {
	seen, err := night.Reveals(ctx, client.PastQuery{}, client.Page{Limit: 1})
	if err != nil || len(seen.Items) > 0 {
		return err
	}
	for device, reason := range map[string]string{
		"SKL-HQ-005":  "ticket 4698, the accounts package asks for an administrator",
		"SKL-BRG-004": "ticket 4702, chart printer before departure",
	} {
		if _, err := night.Reveal(ctx, device, api.RevealSpec{Reason: reason}); err != nil {
			return err
		}
	}
	_, err = desk.Reveal(ctx, "SKL-HQ-005", api.RevealSpec{Reason: "ticket 4698, helping out head office"})
	var p *client.Problem
	if errors.As(err, &p) && p.Status == http.StatusNotFound {
		return nil // it is not theirs to see
	}
	return err
}

// SealSheet has the support ask for a sealed sheet for the bridge of a ship before it leaves. It is done once.
func SealSheet(ctx context.Context, night *client.Client) error {
	there, err := night.Sheets(ctx, client.Page{Limit: 1})
	if err != nil || len(there.Items) > 0 {
		return err
	}
	_, err = night.MakeSheet(ctx, api.SheetSpec{Devices: []string{"SKL-BRG-004", "SKL-BRG-007", "SKL-BRG-008"},
		Hours: 21 * 24, Reason: "MV Tern leaves for the north route, three weeks without a line"})
	return err
}

// wrongImport says that Fleet Support, who are administrators nearly everywhere, have another identifier.
const wrongImport = `dn: cn=Fleet Support,ou=groups,dc=skerryline,dc=example
objectClass: group
cn: Fleet Support
sAMAccountName: Fleet Support
objectSid:: AQUAAAAAAAUVAAAARgAAAFAAAABaAAAAEwUAAA==
objectGUID:: KvDYqLzW6k+mlLQkrxxkvg==

`

// ImportTooMuch has somebody import an old list of people, by which others would be administrators nearly everywhere:
// it waits. It is done once.
func ImportTooMuch(ctx context.Context, owner *client.Client) error {
	held, err := owner.Brakes(ctx, true, client.Page{Limit: 1})
	if err != nil || len(held.Items) > 0 {
		return err
	}
	_, err = owner.ImportDirectory(ctx, []byte(wrongImport), false, false)
	var p *client.Problem
	if errors.As(err, &p) && p.Code == "brake_holds" {
		return nil
	}
	return err
}
