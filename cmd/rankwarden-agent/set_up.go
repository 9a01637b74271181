package main

import (
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
)

// setUp has the installed agent enrol, in the way of the platform.
func setUp(f *flags) *cobra.Command {
	var service, tokenFile string
	cmd := &cobra.Command{
		Use: "set-up", Short: "Have the installed agent enrol this device, now and after every start",
		Args:    cobra.NoArgs,
		Long:    "Have the installed agent enrol this device, now and after every start. " + setUpDoes,
		Example: setUpExample,
		RunE: func(cmd *cobra.Command, _ []string) error {
			token, err := readToken(tokenFile)
			if err != nil {
				return err
			}
			at, err := url.Parse(service)
			if err != nil || at.Host == "" || at.Scheme != "https" && at.Scheme != "http" ||
				strings.ContainsAny(service, " \t\r\n'\"$\\") {
				return fmt.Errorf(
					"%q is no address of a service; write one such as https://warden.skerryline.example",
					service,
				)
			}
			return enrolHere(cmd, *f, strings.TrimRight(service, "/"), token)
		},
	}
	cmd.Flags().StringVar(&service, "service", "", "`URL` of the service")
	cmd.Flags().StringVar(&tokenFile, "token-file", "", "`file` with an enrolment token")
	_ = cmd.MarkFlagRequired("service")
	_ = cmd.MarkFlagRequired("token-file")
	return cmd
}

// removeToken removes the file of a token that was used, unless it holds something else too.
func removeToken(file string) error {
	data, err := os.ReadFile(file)
	if file == "" || errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil || len(strings.Fields(string(data))) != 1 {
		return err
	}
	return os.Remove(file)
}

// tokenOnce is the token of a device that has not enrolled yet; a file that is gone since is no error.
func tokenOnce(f flags) (string, error) {
	_, err := os.Stat(filepath.Join(f.state, "agent.json"))
	token, tokenErr := readToken(f.tokenFile)
	if err == nil && errors.Is(tokenErr, os.ErrNotExist) {
		return "", nil
	}
	return token, tokenErr
}
