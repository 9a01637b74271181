package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"rankwarden.example/internal/wire/sheet"
)

const longestSheetFile = 8 << 20 // bytes

func (a *app) passwordOpenSheet() *cobra.Command {
	var key, device string
	var print, fromStdin bool
	cmd := &cobra.Command{
		Use: "open-sheet FILE", Short: "Open a sealed sheet, without the service", Args: cobra.ExactArgs(1),
		Long: "Open a sealed sheet with its ten words, or with a key, on any machine and without the service. FILE " +
			"is\n" +
			"the text, the page, or what a scanner read from the codes, in any order; - reads standard input.\n" +
			"Passwords are printed to a terminal only, unless --print is given.",
		Example: "  rankwarden password open-sheet tern.html --device SKL-TKT-004",
		RunE: func(cmd *cobra.Command, args []string) error {
			if !print && !term.IsTerminal(int(os.Stdout.Fd())) {
				return unusable{errors.New("passwords are printed to a terminal only; give --print to print them " +
					"anyway")}
			}
			text, err := sheetText(args[0])
			if err != nil {
				return unusable{err}
			}
			var c sheet.Content
			if key != "" {
				keys, err := os.ReadFile(key)
				if err != nil {
					return unusable{err}
				}
				c, err = sheet.OpenWithKey(text, string(keys))
				if err != nil {
					return unusable{err}
				}
			} else {
				words, err := askHidden("words", "The ten words: ", "--words-stdin", fromStdin)
				if err != nil {
					return unusable{err}
				}
				if c, err = sheet.OpenWithWords(text, words); err != nil {
					return unusable{err}
				}
			}
			c.Passwords = ofDevice(c.Passwords, device)
			if len(c.Passwords) == 0 {
				return fmt.Errorf("the sheet has no password of %s", device)
			}
			return a.one(c, func() error { a.openedSheet(c); return nil })
		},
	}
	f := cmd.Flags()
	f.StringVar(&key, "key", "", "`file` with the key that it is sealed to, instead of words")
	f.StringVar(&device, "device", "", "only the passwords of this `device`")
	f.BoolVar(&print, "print", false, "print them also where the output is not a terminal")
	f.BoolVar(&fromStdin, "words-stdin", false, "read the words from standard input")
	return cmd
}

// sheetText reads a file, or standard input for -.
func sheetText(path string) (string, error) {
	in := io.Reader(os.Stdin)
	if path != "-" {
		file, err := os.Open(path)
		if err != nil {
			return "", err
		}
		defer file.Close()
		in = file
	}
	text, err := io.ReadAll(io.LimitReader(in, longestSheetFile))
	return string(text), err
}

func ofDevice(all []sheet.Password, device string) []sheet.Password {
	if device == "" {
		return all
	}
	var of []sheet.Password
	for _, p := range all {
		if strings.EqualFold(p.Device, device) {
			of = append(of, p)
		}
	}
	return of
}

// openedSheet prints the passwords of a sheet. Whoever reads them has no service to ask what they are good for.
func (a *app) openedSheet(c sheet.Content) {
	at := func(t time.Time) string { return t.Format("2006-01-02 15:04 UTC") }
	fmt.Fprintf(a.out, "%s, made %s by %s, good until %s at most: %s\n\n", c.Organisation, at(c.MadeAt), c.MadeBy,
		at(c.Until), c.Reason)
	for _, p := range c.Passwords {
		fmt.Fprintf(a.out, "%s  %s\n    %s\n", p.Device, p.Name, p.Password)
		if p.Pending {
			fmt.Fprintln(a.out, "    The device may not have this one; if it is wrong, try the next.")
		}
	}
	fmt.Fprintln(a.out, "\nA device that has reached the service since has other passwords.")
}

func (a *app) passwordSheetKey() *cobra.Command {
	return &cobra.Command{
		Use: "sheet-key FILE", Short: "Make a key that sealed sheets can be sealed to", Args: cobra.ExactArgs(1),
		Long: "Make a key that sealed sheets can be sealed to, and print its public half for\n" +
			"rankwarden password sheet --recipient. FILE is for whoever opens sheets; keep it secret. It is a key " +
			"of\n" +
			"the age format, and no service is needed.",
		RunE: func(_ *cobra.Command, args []string) error {
			text, recipient, err := sheet.NewKey()
			if err != nil {
				return err
			}
			file, err := os.OpenFile(args[0], os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
			if err != nil {
				return unusable{err}
			}
			_, err = file.WriteString(text)
			if err = errors.Join(err, file.Close()); err != nil {
				return err
			}
			_, err = fmt.Fprintln(a.out, recipient)
			return err
		},
	}
}
