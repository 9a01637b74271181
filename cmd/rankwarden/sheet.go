package main

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/internal/kit/atomicfile"
)

func (a *app) passwordSheet() *cobra.Command {
	var spec api.SheetSpec
	var lasts time.Duration
	var out, approved string
	var print, fromStdin bool
	cmd := &cobra.Command{
		Use: "sheet", Short: "Make a sealed sheet of passwords, for devices that will reach no " +
			"service", Args: cobra.NoArgs,
		Long: "Make a sealed sheet: the passwords of some devices, sealed to ten words or to somebody's key, for a " +
			"ship\n" +
			"or a site that reaches no service. rankwarden password open-sheet opens it without one. The file is a\n" +
			"page to print, with codes, where its name ends in .html, and text otherwise.\n\n" +
			"It counts as a view of each password. A device changes them once it was away for an hour and comes\n" +
			"back, and at the latest when the sheet ends; then the sheet is void. The ten words are printed to a\n" +
			"terminal only, unless --print is given; nobody can find them again.\n\n" +
			"Exit status: 0 it is made, 6 it waits for a second person; then have it made with --approved ID.",
		Example: "  rankwarden password sheet --group tern --out tern.html --reason \"MV Tern, north route\"",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if !print && spec.Recipient == "" && !term.IsTerminal(int(os.Stdout.Fd())) {
				return unusable{errors.New("the words are printed to a terminal only; give --print to print them " +
					"anyway")}
			}
			if _, err := os.Stat(out); err == nil {
				return unusable{fmt.Errorf("%s is there already; name a new file", out)}
			}
			spec.Hours = int(lasts.Hours())
			c, err := a.connect()
			if err != nil {
				return err
			}
			var made api.MadeSheet
			err = a.freshly(cmd.Context(), c, fromStdin, func() (err error) {
				if approved != "" {
					made, err = c.CollectSheet(cmd.Context(), approved)
				} else {
					made, err = c.MakeSheet(cmd.Context(), spec)
				}
				return err
			})
			if err != nil {
				return err
			}
			if made.Sealed == "" {
				return cmp.Or(a.one(made.Sheet, func() error { a.sheetWaits(made.Sheet); return nil }), errWaits)
			}
			text := made.Sealed
			if filepath.Ext(out) == ".html" {
				text = made.Page
			}
			if err := atomicfile.Write(out, []byte(text), 0o600); err != nil {
				return err
			}
			return a.one(made, func() error { a.sheetMade(made, out); return nil })
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&spec.Devices, "device", nil, "a `device`; several, or one list with commas")
	f.StringVar(&spec.Group, "group", "", "every device of this `group`, at most 100")
	f.StringVar(&spec.Recipient, "recipient", "", "seal it to this `key`, as password sheet-key prints one")
	f.DurationVar(&lasts, "for", 14*24*time.Hour, "how `long` it is good at most, such as 72h; up to 90 days")
	f.StringVar(&spec.Reason, "reason", "", "why, in your own `words`")
	f.StringVar(&out, "out", "", "the `file` to write; .html for a page to print")
	f.StringVar(&approved, "approved", "", "the `ID` of a sheet of yours that a second person approved")
	f.BoolVar(&print, "print", false, "print the words also where the output is not a terminal")
	f.BoolVar(&fromStdin, "password-stdin", false, "read your own password from standard input, should it be asked for")
	_ = cmd.MarkFlagRequired("out")
	cmd.MarkFlagsOneRequired("reason", "approved")
	cmd.MarkFlagsOneRequired("device", "group", "approved")
	for _, other := range []string{"device", "group", "recipient", "reason"} {
		cmd.MarkFlagsMutuallyExclusive("approved", other)
	}
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("group", a.completeGroups)
	return cmd
}

func (a *app) sheetWaits(s api.Sheet) {
	fmt.Fprintf(a.out, "The sheet %s of %s waits for a second person: %s.\n", s.ID,
		plural(len(s.Devices), "device", "devices"), strings.Join(s.Needs, "; "))
	fmt.Fprintf(a.out, "Once it is approved: rankwarden password sheet --approved %s --out FILE\n", s.ID)
}

func (a *app) sheetMade(m api.MadeSheet, out string) {
	fmt.Fprintf(a.out, "%s of %s are in %s, sealed. The sheet is good until %s at most.\n",
		plural(m.Valid, "password", "passwords"), plural(len(m.Devices), "device", "devices"), out,
		a.when(m.EndsAt))
	if len(m.Without) > 0 {
		fmt.Fprintf(a.out, "Nothing is in escrow of %s.\n", strings.Join(m.Without, ", "))
	}
	if m.Passphrase == "" {
		fmt.Fprintf(a.out, "The key of %s opens it.\n", m.Recipient)
		return
	}
	fmt.Fprintf(a.out, "\n    %s\n\nThese words open it. Write them down now, and keep them apart from the sheet: "+
		"nobody has them any more.\n", m.Passphrase)
}

func (a *app) passwordSheets() *cobra.Command {
	var most int
	cmd := &cobra.Command{
		Use: "sheets", Short: "List sealed sheets, and whether their passwords may still be right", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.Sheet], error) {
				return c.Sheets(cmd.Context(), p)
			})
			if err != nil {
				return err
			}
			type row = api.Sheet
			return list(
				a, items, "No sealed sheet was made.",
				column[row]{title: "Sheet", value: func(x row) string { return x.ID }},
				column[row]{title: "Devices", wrap: 1, value: func(x row) string {
					names := make([]string, len(x.Devices))
					for i, d := range x.Devices {
						names[i] = d.Device
					}
					return someOf(names)
				}},
				column[row]{title: "State", value: a.sheetState},
				column[row]{title: "Until", value: func(x row) string { return a.when(x.EndsAt) }},
				column[row]{title: "Made by", value: func(x row) string { return x.AskedBy }},
				column[row]{title: "Sealed to", value: func(x row) string {
					if x.Recipient == "" {
						return "ten words"
					}
					return x.Recipient[:min(12, len(x.Recipient))] + "…"
				}},
				column[row]{title: "Reason", wrap: 1, value: func(x row) string { return x.Reason }},
			)
		},
	}
	cmd.Flags().IntVar(&most, "most", 50, "list at most this `number`; 0 for all")
	return ofList(cmd)
}

// sheetState says what became of a sheet.
func (a *app) sheetState(s api.Sheet) string {
	switch s.State {
	case "waiting":
		return "waits for a second person"
	case "approved":
		return "approved by " + s.DecidedBy
	case "declined":
		return "declined by " + s.DecidedBy
	}
	all := 0
	for _, d := range s.Devices {
		all += d.Passwords
	}
	switch s.Valid {
	case 0:
		return "void: all are changed"
	case all:
		return "good: " + plural(all, "password", "passwords")
	}
	return fmt.Sprintf("%d of %d passwords still good", s.Valid, all)
}

func (a *app) passwordApproveSheet() *cobra.Command {
	var decline bool
	cmd := &cobra.Command{
		Use: "approve-sheet SHEET", Short: "Approve a sealed sheet that somebody else asked " +
			"for", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := a.deciding(cmd.Context(), c, func(c *client.Client) error {
				return c.DecideSheet(cmd.Context(), args[0], !decline)
			}); err != nil {
				return err
			}
			if decline {
				return a.did(done{"declined", args[0]}, "Declined.\n")
			}
			return a.did(done{"approved", args[0]}, "Approved; whoever asked may have it made within a day.\n")
		},
	}
	cmd.Flags().BoolVar(&decline, "decline", false, "decline it instead")
	return a.decides(cmd)
}
