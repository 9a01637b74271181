package main

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) enrolmentCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "enrolment", Short: "Tokens with which devices enrol"}
	cmd.AddCommand(a.enrolmentMake(), a.enrolmentList(), a.enrolmentRevoke())
	return cmd
}

func (a *app) enrolmentMake() *cobra.Command {
	var spec client.EnrolmentSpec
	cmd := &cobra.Command{
		Use: "create", Short: "Create an enrolment token; it is printed only once", Args: cobra.NoArgs,
		Example: "  rankwarden enrolment create --uses 10 > token\n" +
			"  sudo rankwarden-agent set-up --service https://warden.skerryline.example --token-file token",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			t, err := c.CreateEnrolmentToken(cmd.Context(), spec)
			if err != nil {
				return err
			}
			return a.one(t, func() error {
				a.notice(
					"For %s, until %s. It is not shown again.\n",
					plural(t.UsesLeft, "device", "devices"),
					a.when(t.ExpiresAt),
				)
				_, err := fmt.Fprintln(a.out, t.Token)
				return err
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&spec.Note, "note", "", "`words` that say what it is for")
	f.IntVar(&spec.Uses, "uses", 1, "`number` of devices that may enrol with it")
	f.IntVar(&spec.Hours, "hours", 24, "how long it lives, in `hours`")
	f.StringSliceVar(&spec.Groups, "group", nil, "listed `group` that devices join; may be repeated")
	f.StringVar(&spec.Path, "path", "", "`path` that devices get, like north/kirkness/desk")
	f.StringSliceVar(&spec.Tags, "tag", nil, "`tag` that devices get; may be repeated")
	return cmd
}

func (a *app) enrolmentList() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "list", Short: "List enrolment tokens, newest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(0, func(p client.Page) (client.List[api.EnrolmentToken], error) {
				return c.EnrolmentTokens(cmd.Context(), p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No enrolment tokens.",
				column[api.EnrolmentToken]{title: "Token", value: func(t api.EnrolmentToken) string { return t.ID }},
				column[api.EnrolmentToken]{
					title: "Note",
					wrap:  1,
					value: func(t api.EnrolmentToken) string { return t.Note },
				},
				column[api.EnrolmentToken]{
					title: "Uses left",
					right: true,
					value: func(t api.EnrolmentToken) string { return strconv.Itoa(t.UsesLeft) },
				},
				column[api.EnrolmentToken]{
					title: "Groups",
					value: func(t api.EnrolmentToken) string { return strings.Join(t.Groups, ", ") },
				},
				column[api.EnrolmentToken]{title: "Ends", value: func(t api.EnrolmentToken) string {
					if t.Revoked {
						return "revoked"
					}
					return a.when(t.ExpiresAt)
				}},
			)
		},
	})
}

func (a *app) enrolmentRevoke() *cobra.Command {
	return &cobra.Command{
		Use: "revoke TOKEN", Short: "Revoke an enrolment token, by its identifier", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.RevokeEnrolmentToken(cmd.Context(), args[0]); err != nil {
				return err
			}
			return a.did(done{"revoked", args[0]}, "Revoked. Devices that enrolled with it stay.\n")
		},
	}
}
