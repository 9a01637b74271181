package main

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/core/text"
)

func (a *app) takeOverCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "take-over", Short: "Accounts that exist already: what to do with each"}
	cmd.AddCommand(a.takeOverPlan())
	return cmd
}

// formerAccount is a line of the file.
type formerAccount struct{ Account, Owner string }

// takeOverStep is what to do with an account of a device.
type takeOverStep struct {
	Device  string `json:"device"`
	Account string `json:"account"`
	Owner   string `json:"owner"`
	Do      string `json:"do"` // adopt, replace or leave
	Why     string `json:"why"`
}

func (a *app) takeOverPlan() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "plan FILE", Short: "Say for each device what to do with former accounts", Args: cobra.ExactArgs(1),
		Long: "Read a CSV file with the columns account and owner, and say for each device that has such an account\n" +
			"what to do with it. - reads standard input. Nothing is altered.\n\n" +
			"  adopt    a policy can name it under formerly: it is renamed and stays the same account\n" +
			"  replace  services or tasks run as it: create another account, and move them first\n" +
			"  leave    it is built in, or a policy manages it, or it is disabled and privileged nowhere",
		Example: "  rankwarden take-over plan former-accounts.csv\n  rankwarden take-over plan former-accounts.csv " +
			"--output csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			source, err := readFile(args[0])
			if err != nil {
				return err
			}
			former, err := readFormer(source)
			if err != nil {
				return unusable{fmt.Errorf("%s: %w", args[0], err)}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			var steps []takeOverStep
			for _, f := range former {
				found, err := client.All(0, func(p client.Page) (client.List[api.LocalAccount], error) {
					return c.AccountDevices(cmd.Context(), f.Account, p)
				})
				if err != nil {
					return err
				}
				if len(found) == 0 {
					a.notice("No device in your reach has an account %s.\n", f.Account)
				}
				for _, x := range found {
					do, why := takeOver(x)
					steps = append(steps, takeOverStep{x.Device, x.Name, f.Owner, do, why})
				}
			}
			slices.SortStableFunc(steps, func(a, b takeOverStep) int { return cmp.Compare(a.Device, b.Device) })
			type row = takeOverStep
			return list(
				a, steps, "Nothing to take over.",
				column[row]{title: "Device", value: func(x row) string { return x.Device }},
				column[row]{title: "Account", value: func(x row) string { return x.Account }},
				column[row]{title: "Owner", value: func(x row) string { return x.Owner }},
				column[row]{title: "Do", value: func(x row) string { return x.Do }},
				column[row]{title: "Why", value: func(x row) string { return x.Why }},
			)
		},
	})
}

// takeOver is what to do with an account, and why.
func takeOver(x api.LocalAccount) (do, why string) {
	switch {
	case x.Builtin != "":
		return "leave", "built in; a policy names it under builtins"
	case x.Key != "":
		return "leave", "managed already, as account:" + x.Key
	case len(x.Runs) > 0:
		return "replace", "in use by " + strings.Join(x.Runs, ", ")
	case !x.Enabled && !x.Privileged:
		return "leave", "disabled, and privileged nowhere"
	}
	why = "no sign-in known"
	if x.LastSignIn != nil {
		why = "last sign-in " + x.LastSignIn.UTC().Format("2006-01-02")
	}
	if x.Privileged {
		why = "privileged; " + why
	}
	return "adopt", why
}

// readFormer reads the file of former accounts; the first line names the columns.
func readFormer(source []byte) ([]formerAccount, error) {
	reader := csv.NewReader(bytes.NewReader(source))
	reader.TrimLeadingSpace = true
	head, err := reader.Read()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("it is empty; the first line must be: account,owner")
	}
	if err != nil {
		return nil, err
	}
	column := func(name string) int {
		return slices.IndexFunc(head, func(h string) bool { return text.Fold(strings.TrimSpace(h)) == name })
	}
	account, owner := column("account"), column("owner")
	if account < 0 || owner < 0 {
		return nil, fmt.Errorf("line 1 has the columns %s; it must have account and owner", strings.Join(head, ", "))
	}
	var list []formerAccount
	seen := map[string]int{}
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			return list, nil
		}
		if err != nil {
			return nil, err
		}
		line, _ := reader.FieldPos(account)
		f := formerAccount{strings.TrimSpace(record[account]), strings.TrimSpace(record[owner])}
		if f.Account == "" {
			return nil, fmt.Errorf("line %d names no account", line)
		}
		if first, twice := seen[text.Fold(f.Account)]; twice {
			return nil, fmt.Errorf("line %d names %s again, after line %d; keep one", line, f.Account, first)
		}
		seen[text.Fold(f.Account)] = line
		list = append(list, f)
	}
}
