package main

import (
	"errors"
	"strings"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) operatorCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "operator", Short: "People who sign in, and what they may do"}
	cmd.AddCommand(a.operatorList(), a.operatorAdd(), a.operatorSet(), a.operatorPassword(),
		a.operatorRoles())
	return cmd
}

func (a *app) operatorList() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "list", Short: "List operators by name", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(
				0,
				func(p client.Page) (client.List[api.Operator], error) { return c.Operators(cmd.Context(), p) },
			)
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No operators.",
				column[api.Operator]{title: "Operator", value: func(o api.Operator) string { return o.Name }},
				column[api.Operator]{
					title: "Roles",
					wrap:  1,
					value: func(o api.Operator) string { return roleWords(o.Roles) },
				},
				column[api.Operator]{title: "May sign in", value: func(o api.Operator) string {
					return map[bool]string{true: "no", false: "yes"}[o.Disabled]
				}},
				column[api.Operator]{title: "Since", value: func(o api.Operator) string { return a.when(o.CreatedAt) }},
			)
		},
	})
}

func (a *app) operatorRoles() *cobra.Command {
	return ofList(&cobra.Command{
		Use: "roles", Short: "List the roles with what each may do", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			roles, err := c.Roles(cmd.Context())
			if err != nil {
				return err
			}
			type row = api.RoleRights
			return list(
				a, roles, "",
				column[row]{title: "Role", value: func(r row) string { return r.Role }},
				column[row]{title: "May", wrap: 1, value: func(r row) string { return strings.Join(r.Rights, ", ") }},
				column[row]{title: "On", value: func(r row) string {
					if r.Everywhere {
						return "every device"
					}
					return "every device, or those of groups"
				}},
			)
		},
	})
}

// rolesOf reads roles as they are given: ROLE, or ROLE:GROUP,GROUP for reach.
func rolesOf(given []string) ([]api.Role, error) {
	roles := []api.Role{}
	for _, g := range given {
		name, groups, limited := strings.Cut(g, ":")
		role := api.Role{Role: name, Groups: []string{}}
		if limited {
			role.Groups = strings.FieldsFunc(groups, func(r rune) bool { return r == ',' || r == '+' })
		}
		if limited && len(role.Groups) == 0 {
			return nil, errors.New(
				"--role " + g + " names no group after the colon; write ROLE:GROUP, or ROLE for every device",
			)
		}
		roles = append(roles, role)
	}
	return roles, nil
}

const roleHelp = "`ROLE`, or ROLE:GROUP+GROUP to reach these groups only; may be repeated. Roles: viewer, support, " +
	"author, deployer, auditor, owner"

func (a *app) operatorAdd() *cobra.Command {
	var given []string
	var fromStdin bool
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Create an operator, whose first password is changed at the first sign-in",
		Args:    cobra.ExactArgs(1),
		Example: "  rankwarden operator create kirkness.desk --role support:ticket-desks",
		RunE: func(cmd *cobra.Command, args []string) error {
			roles, err := rolesOf(given)
			if err == nil && len(roles) == 0 {
				err = errors.New("give the roles of the operator with --role")
			}
			if err != nil {
				return unusable{err}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			password, err := askPassword(args[0], fromStdin)
			if err != nil {
				return unusable{err}
			}
			o, err := c.CreateOperator(cmd.Context(), args[0], password, roles...)
			if err != nil {
				return err
			}
			return a.did(o, "Added %s (%s).\n", o.Name, roleWords(o.Roles))
		},
	}
	cmd.Flags().StringArrayVar(&given, "role", nil, roleHelp)
	cmd.Flags().BoolVar(&fromStdin, "password-stdin", false, "read the operator's password from standard input")
	return cmd
}

func (a *app) operatorSet() *cobra.Command {
	var given []string
	var password, fromStdin, disable, enable, reset bool
	cmd := &cobra.Command{
		Use:   "edit NAME",
		Short: "Edit an operator: roles, password, or whether they may sign in; sessions and tokens end",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			var change client.OperatorChange
			if disable || enable {
				change.Disabled = &disable
			}
			if cmd.Flags().Changed("role") {
				roles, err := rolesOf(given)
				if err != nil {
					return unusable{err}
				}
				change.Roles = roles
			}
			change.ResetSecondFactor = reset
			if change.Disabled == nil && change.Roles == nil && !password && !reset {
				return unusable{errors.New("give --role, --new-password, --reset-second-factor, --disable or --enable")}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			if password {
				secret, err := askPassword(args[0], fromStdin)
				if err != nil {
					return unusable{err}
				}
				change.Password = &secret
			}
			o, err := c.EditOperator(cmd.Context(), args[0], change)
			if err != nil {
				return err
			}
			return a.did(o, "%s: %s. Sessions and tokens of %s have ended.\n", o.Name, roleWords(o.Roles), o.Name)
		},
	}
	f := cmd.Flags()
	f.StringArrayVar(&given, "role", nil, roleHelp+"; replaces all roles of before")
	f.BoolVar(&password, "new-password", false, "set a first password, which they change at the next sign-in")
	f.BoolVar(&fromStdin, "password-stdin", false, "read it from standard input")
	f.BoolVar(&reset, "reset-second-factor", false, "take the second factor of somebody who has lost it away")
	f.BoolVar(&disable, "disable", false, "the operator may not sign in any more")
	f.BoolVar(&enable, "enable", false, "the operator may sign in again")
	cmd.MarkFlagsMutuallyExclusive("disable", "enable")
	return cmd
}

func (a *app) tokenCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "token", Short: "API tokens: your own, and for owners everybody's"}
	cmd.AddCommand(a.tokenList(), a.tokenRevoke())
	return cmd
}

func (a *app) tokenList() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use: "list", Short: "List API tokens, newest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			items, err := client.All(
				0,
				func(p client.Page) (client.List[api.Token], error) { return c.Tokens(cmd.Context(), all, p) },
			)
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No tokens.",
				column[api.Token]{title: "Token", value: func(t api.Token) string { return t.ID }},
				column[api.Token]{title: "Of", value: func(t api.Token) string { return t.Operator }},
				column[api.Token]{title: "For", wrap: 1, value: func(t api.Token) string { return t.Name }},
				column[api.Token]{
					title: "Roles",
					wrap:  1,
					value: func(t api.Token) string { return roleWords(t.Roles) },
				},
				column[api.Token]{title: "Ends", value: func(t api.Token) string {
					if t.Revoked {
						return "revoked"
					}
					return a.when(t.ExpiresAt)
				}},
			)
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "tokens of all operators, for owners")
	return ofList(cmd)
}

func (a *app) tokenRevoke() *cobra.Command {
	return &cobra.Command{
		Use: "revoke TOKEN", Short: "Revoke an API token, by its identifier", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.RevokeToken(cmd.Context(), args[0]); err != nil {
				return err
			}
			return a.did(done{"revoked", args[0]}, "Revoked %s.\n", args[0])
		},
	}
}
