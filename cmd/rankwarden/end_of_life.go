package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/wire/protocol"
)

func (a *app) deviceRetire() *cobra.Command {
	var why api.Retirement
	var until string
	cmd := &cobra.Command{
		Use: "retire DEVICE --because lost|sold|reinstalled|repair", Short: "Retire a device, and say why",
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: "Retire a device, and say why: it is told nothing more, and may not report. Its passwords stay under\n" +
			"its name until a day, 180 days from now unless you say otherwise: rankwarden password list --retired.\n" +
			"One that comes back from a repair is taken back with rankwarden device return.",
		Example: "  rankwarden device retire SKL-WKS-017 --because lost --note \"ticket 4711\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			if until != "" {
				day, err := time.Parse(time.DateOnly, until)
				if err != nil {
					return unusable{fmt.Errorf("--passwords-until %q is no day; write one as 2031-03-04", until)}
				}
				why.PasswordsUntil = &day
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.RetireDevice(cmd.Context(), args[0], why); err != nil {
				return err
			}
			return a.did(done{"retired", args[0]}, "Retired %s. What it was: rankwarden device handover %s\n", args[0],
				args[0])
		},
	}
	f := cmd.Flags()
	f.StringVar(&why.Because, "because", "", "`why`: lost, sold, reinstalled or repair")
	f.StringVar(&why.Note, "note", "", "in your own `words`, such as a ticket")
	f.StringVar(&until, "passwords-until", "", "keep its passwords until this `day`, such as 2031-03-04")
	_ = cmd.MarkFlagRequired("because")
	return cmd
}

func (a *app) deviceHandover() *cobra.Command {
	var group string
	cmd := &cobra.Command{
		Use: "handover [DEVICE]", Short: "Print the handover sheet of a device, or of every device of a group",
		Args: cobra.MaximumNArgs(1), ValidArgsFunction: a.completeDevices,
		Long: "Print the handover sheet of a device: what was in force, who could get in, which passwords are in\n" +
			"escrow and who saw them. As JSON it carries the signature of the service, for\n" +
			"rankwarden device verify-handover.",
		Example: "  rankwarden device handover SKL-WKS-017 -o json > sheet.json",
		RunE: func(cmd *cobra.Command, args []string) error {
			if (len(args) == 1) == (group != "") {
				return unusable{errors.New("name a device, or give --group")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if len(args) == 1 {
				sheet, err := c.Handover(cmd.Context(), args[0])
				if err != nil {
					return err
				}
				return a.one(sheet, func() error { a.sheet(sheet.Handover); return nil })
			}
			sheets, err := client.All(0, func(p client.Page) (client.List[api.HandoverSheet], error) {
				return c.Handovers(cmd.Context(), group, p)
			})
			if err != nil {
				return err
			}
			return a.one(sheets, func() error {
				for _, s := range sheets {
					a.sheet(s.Handover)
				}
				return nil
			})
		},
	}
	cmd.Flags().StringVar(&group, "group", "", "of every device of this `group`")
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

// sheet prints a handover for a reader.
func (a *app) sheet(h api.Handover) {
	fmt.Fprintf(a.out, "%s, %s (%s %s, serial %s)\n", h.Device, h.Organisation, h.Platform, h.OSVersion,
		cmp.Or(h.Serial, "unknown"))
	if r := h.Retired; r != nil {
		fmt.Fprintf(a.out, "Retired %s by %s: %s. %s\nIts passwords are kept until %s.\n", a.when(r.At), r.By,
			r.Because, r.Note, a.when(r.PasswordsUntil))
	}
	a.section("In force")
	for _, s := range h.Settings {
		fmt.Fprintf(a.out, "  %s, %s: %s (%s)\n", s.Section, s.Title, s.Desired, cmp.Or(strings.Join(s.From, ", "),
			"nobody asks for it now"))
	}
	a.section("Who could get in as an administrator")
	for _, m := range h.Administrators {
		fmt.Fprintf(a.out, "  %s in %s, %s\n", cmp.Or(m.Name, m.SID), m.LocalGroup, m.How)
	}
	a.section("Passwords in escrow")
	for _, p := range h.Passwords {
		fmt.Fprintf(a.out, "  %s (%s), last rotated %s\n", p.Account, p.Name, a.sometime(p.ChangedAt, "never"))
	}
	a.section("Who saw a password")
	for _, v := range h.Views {
		fmt.Fprintf(a.out, "  %s  %s saw that of %s: %s\n", a.when(v.At), v.Operator, v.Account, v.Reason)
	}
	if len(h.Views) == 0 {
		fmt.Fprintln(a.out, "  Nobody.")
	}
	fmt.Fprintf(a.out, "\nMade %s by %s.\n\n", a.when(h.MadeAt), h.MadeBy)
}

func (a *app) deviceVerifyHandover() *cobra.Command {
	var root string
	cmd := &cobra.Command{
		Use: "verify-handover FILE", Args: cobra.ExactArgs(1),
		Short: "Prove that the service signed a handover sheet",
		Long: "Prove that the service signed a handover sheet, or a list of them, as JSON. What is printed is what\n" +
			"was signed, whatever stands beside it in the file. No service is needed.",
		Example: "  rankwarden device verify-handover sheet.json --root FINGERPRINT",
		RunE: func(_ *cobra.Command, args []string) error {
			data, err := os.ReadFile(args[0])
			if err != nil {
				return unusable{err}
			}
			sheets, err := readSheets(data)
			if err != nil {
				return unusable{fmt.Errorf("%s: %w", args[0], err)}
			}
			signed := make([]api.Handover, len(sheets))
			for i, s := range sheets {
				if signed[i], err = openSheet(s, root); err != nil {
					return fmt.Errorf("sheet %d: %w", i+1, err)
				}
			}
			return a.one(signed, func() error {
				for _, h := range signed {
					a.sheet(h)
				}
				_, err := fmt.Fprintf(a.out, "The service signed %s.\n", plural(len(signed), "sheet", "sheets"))
				return err
			})
		},
	}
	cmd.Flags().StringVar(&root, "root", "", "`fingerprint` of the service's root key")
	_ = cmd.MarkFlagRequired("root")
	return cmd
}

// readSheets reads one sheet, or a list of them.
func readSheets(data []byte) (sheets []api.HandoverSheet, err error) {
	if json.Unmarshal(data, &sheets) == nil {
		return sheets, nil
	}
	var one api.HandoverSheet
	if err := json.Unmarshal(data, &one); err != nil || one.Signed == "" {
		return nil, errors.New("it is no handover sheet; write one with rankwarden device handover -o json")
	}
	return []api.HandoverSheet{one}, nil
}

// openSheet gives what was signed.
func openSheet(s api.HandoverSheet, root string) (h api.Handover, err error) {
	keys, err := protocol.OpenKeyList(s.KeyList, root)
	if err != nil {
		return h, err
	}
	signed, err := protocol.Parse(s.Signed)
	if err != nil {
		return h, err
	}
	key, known := keys.Signing(signed.Header.KeyID)
	if !known {
		return h, errors.New("it is signed with a key that the service's list does not have")
	}
	if _, err := protocol.Open(s.Signed, key, &h); err != nil {
		return h, err
	}
	if h.Format != api.HandoverFormat {
		return h, fmt.Errorf("it is signed, but no %s", api.HandoverFormat)
	}
	return h, nil
}
