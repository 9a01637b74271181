package main

import (
	"bytes"
	"fmt"
	"os"

	"github.com/knadh/koanf/v2"

	"rankwarden.example/internal/wire/directory"
)

// directoryConnection reads how a directory is reached, nil when none is given.
func directoryConnection(k *koanf.Koanf) (*directory.Connection, error) {
	if k.String("directory-url") == "" {
		return nil, nil
	}
	c := &directory.Connection{
		URL:      k.String("directory-url"),
		BaseDN:   k.String("directory-base"),
		BindDN:   k.String("directory-bind"),
		StartTLS: k.Bool("directory-starttls"),
		Insecure: k.Bool("directory-allow-clear"),
	}
	if path := k.String("directory-password-file"); path != "" {
		info, err := os.Stat(path)
		if err != nil {
			return nil, fmt.Errorf("directory-password-file: %w", err)
		}
		if info.Mode().Perm()&0o077 != 0 {
			return nil, fmt.Errorf("directory-password-file: %s can be read by others; run: chmod 600 %s", path, path)
		}
		password, err := os.ReadFile(path)
		if err != nil {
			return nil, fmt.Errorf("directory-password-file: %w", err)
		}
		c.Password = string(bytes.TrimRight(password, "\r\n"))
	}
	if path := k.String("directory-ca"); path != "" {
		ca, err := os.ReadFile(path)
		if err != nil {
			return nil, fmt.Errorf("directory-ca: %w", err)
		}
		c.CA = ca
	}
	return c, c.Check()
}
