package main

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"github.com/spf13/cobra"
)

func keysDrill() *cobra.Command {
	var answer string
	cmd := &cobra.Command{
		Use: "drill [NUMBER]", Short: "Try whether a copy of the recovery key opens what is sealed to it",
		Args: cobra.MaximumNArgs(1),
		Long: "Try whether a copy of the recovery key opens what is sealed to it, monthly. A drill has a few " +
			"current\n" +
			"passwords as they are sealed; the copy opens them where it is kept, and answers with a word that tells\n" +
			"none of them, short enough to be carried on paper. With --answer the word is taken; it is right only\n" +
			"where every password of the latest drill was opened.",
		Example: "  rankwardend keys drill > drill.json\n" +
			"  rankwardend answer drill.json --key COPY          (where the copy is)\n" +
			"  rankwardend keys drill --answer KJ2M-77QF-N3TA-W5XD",
		RunE: locally(func(ctx context.Context, d localAdmin, args []string) error {
			if answer != "" {
				passed, err := d.Passwords.PassDrill(ctx, d.who, answer)
				if err == nil {
					fmt.Fprintf(d.out, "Recovery key %d opens what is sealed to it: its copy opened %d of %d "+
						"passwords.\n",
						passed.KeyNumber, passed.Deposits, passed.Deposits)
				}
				return err
			}
			number := int64(0)
			if len(args) > 0 {
				var err error
				if number, err = keyNumber(strings.Join(args, "")); err != nil {
					return err
				}
			}
			drill, err := d.Passwords.BeginDrill(ctx, d.who, number)
			if err != nil {
				return err
			}
			fmt.Fprintf(d.err, "%d sealed passwords; answer within a week, with a copy of recovery key %d.\n",
				len(drill.Sealed), drill.Key)
			return json.NewEncoder(d.out).Encode(drill)
		}),
	}
	cmd.Flags().StringVar(&answer, "answer", "", "the `word` that rankwardend answer printed")
	return cmd
}
