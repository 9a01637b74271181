package main

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"rankwarden.example/api"
	"rankwarden.example/client"
)

func (a *app) directoryCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "directory", Short: "People and groups that policies can name"}
	cmd.AddCommand(a.directorySearch(), a.directoryImport(), a.directoryShow(), a.directoryRead(), a.directoryLetGo())
	return cmd
}

func (a *app) directorySearch() *cobra.Command {
	var kind string
	var most int
	cmd := &cobra.Command{
		Use: "search [WORD...]", Short: "Find people and groups by any part of a name",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			search := ""
			for _, word := range args {
				search += word + " "
			}
			items, err := atMost(most, func(p client.Page) (client.List[api.DirectoryEntry], error) {
				return c.Directory(cmd.Context(), search, kind, p)
			})
			if err != nil {
				return err
			}
			return list(
				a,
				items,
				"No entry matches.",
				column[api.DirectoryEntry]{
					title: "Reference",
					value: func(e api.DirectoryEntry) string { return e.Ref },
				},
				column[api.DirectoryEntry]{
					title: "Name",
					wrap:  1,
					value: func(e api.DirectoryEntry) string { return e.Title },
				},
				column[api.DirectoryEntry]{
					title: "Identifier",
					value: func(e api.DirectoryEntry) string { return e.SID },
				},
				column[api.DirectoryEntry]{title: "From", value: func(e api.DirectoryEntry) string {
					if e.GoneAt != nil {
						return e.Source + ", vanished " + a.when(*e.GoneAt)
					}
					return e.Source
				}},
			)
		},
	}
	cmd.Flags().StringVar(&kind, "kind", "", "`kind`: user or group")
	cmd.Flags().IntVar(&most, "most", 100, "list at most this `number`; 0 for all")
	return ofList(cmd)
}

func (a *app) directoryImport() *cobra.Command {
	var replace, accept bool
	cmd := &cobra.Command{
		Use: "import FILE", Short: "Import people and groups from an LDIF file", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ldif, err := os.ReadFile(args[0])
			if err != nil {
				return unusable{err}
			}
			c, err := a.connect()
			if err != nil {
				return err
			}
			change, err := c.ImportDirectory(cmd.Context(), ldif, replace, accept)
			if err != nil {
				return err
			}
			return a.one(change, func() error { return a.directoryChange(change) })
		},
	}
	cmd.Flags().BoolVar(&replace, "replace", false, "what an earlier import brought and this one lacks has vanished")
	cmd.Flags().BoolVar(&accept, "accept", false, "accept that many people and groups vanish that policies name")
	return a.atTheDoor(cmd)
}

func (a *app) directoryChange(c api.DirectoryChange) error {
	for _, s := range c.Skipped {
		fmt.Fprintf(a.out, "Skipped %s: %s.\n", s.DN, s.Why)
	}
	_, err := fmt.Fprintf(a.out, "Read %s: %d new, %d changed, %d vanished. Affected devices are settled again now.\n",
		plural(c.Entries, "person or group", "people and groups"), c.Added, c.Changed, c.Removed)
	return err
}

func (a *app) directoryShow() *cobra.Command {
	return &cobra.Command{
		Use: "connection", Short: "Show the connection to a directory and its last run", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			s, err := c.DirectoryConnection(cmd.Context())
			if err != nil {
				return err
			}
			return a.one(s, func() error {
				switch {
				case !s.Connected:
					_, err = fmt.Fprintln(
						a.out,
						"No connection is set. Start the service with --directory-url, or import a file: rankwarden "+
							"directory import FILE",
					)
				case s.StartedAt == nil:
					_, err = fmt.Fprintln(a.out, "Connected, but not synchronised yet.")
				case s.EndedAt == nil:
					_, err = fmt.Fprintf(a.out, "Synchronising since %s.\n", a.when(*s.StartedAt))
				case s.Error != "":
					_, err = fmt.Fprintf(a.out, "The last run failed %s: %s\n", a.when(*s.EndedAt), s.Error)
				default:
					_, err = fmt.Fprintf(
						a.out,
						"Read %s: %s; %d new, %d changed, %d removed.\n",
						a.when(*s.EndedAt),
						plural(s.Entries, "person or group", "people and groups"),
						s.Added,
						s.Changed,
						s.Removed,
					)
				}
				return err
			})
		},
	}
}

func (a *app) directoryRead() *cobra.Command {
	var accept bool
	cmd := &cobra.Command{
		Use: "sync", Short: "Synchronise with the directory now", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			change, err := c.ReadDirectory(cmd.Context(), accept)
			if err != nil {
				return err
			}
			return a.one(change, func() error { return a.directoryChange(change) })
		},
	}
	cmd.Flags().BoolVar(&accept, "accept", false, "accept that many people and groups vanish that policies name")
	return cmd
}

func (a *app) directoryLetGo() *cobra.Command {
	return &cobra.Command{
		Use: "delete REF", Short: "Delete a person or group that vanished from the directory", Args: cobra.ExactArgs(1),
		Long: "Delete a person or group that vanished from the directory. Until then, or for 30 days, it keeps its " +
			"identifier,\nso that nobody loses access because of a wrong reading.",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.connect()
			if err != nil {
				return err
			}
			if err := c.DeleteDirectoryEntry(cmd.Context(), args[0]); err != nil {
				return err
			}
			return a.did(done{"deleted", args[0]}, "Deleted %s. Affected devices are settled again now.\n", args[0])
		},
	}
}
