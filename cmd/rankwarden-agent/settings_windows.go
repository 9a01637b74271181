package main

import (
	"errors"
	"fmt"

	"golang.org/x/sys/windows/registry"
)

// Where the installer package, or set-up, leaves what the service needs; only administrators write there.
const (
	settingsPath = `SOFTWARE\Rank Warden\Agent`
	serviceValue = "Service"   // address of the service
	tokenValue   = "TokenFile" // file with an enrolment token
)

// settings are what the Windows service is started with.
func settings() ([]string, error) {
	key, err := registry.OpenKey(registry.LOCAL_MACHINE, settingsPath, registry.QUERY_VALUE|registry.WOW64_64KEY)
	if err != nil {
		return nil, fmt.Errorf("HKEY_LOCAL_MACHINE\\%s: %w; run rankwarden-agent set-up as an administrator",
			settingsPath, err)
	}
	defer key.Close()
	address, _, err := key.GetStringValue(serviceValue)
	if err != nil {
		return nil, fmt.Errorf("HKEY_LOCAL_MACHINE\\%s\\%s: %w", settingsPath, serviceValue, err)
	}
	args := []string{"--service", address}
	token, _, err := key.GetStringValue(tokenValue)
	switch {
	case errors.Is(err, registry.ErrNotExist):
		return args, nil // it is enrolled already
	case err != nil:
		return nil, fmt.Errorf("HKEY_LOCAL_MACHINE\\%s\\%s: %w", settingsPath, tokenValue, err)
	}
	return append(args, "--token-file", token), nil
}

// keepSettings writes them.
func keepSettings(address, tokenFile string) error {
	key, _, err := registry.CreateKey(registry.LOCAL_MACHINE, settingsPath, registry.SET_VALUE|registry.WOW64_64KEY)
	if err != nil {
		return fmt.Errorf("HKEY_LOCAL_MACHINE\\%s: %w; run this as an administrator", settingsPath, err)
	}
	defer key.Close()
	return errors.Join(key.SetStringValue(serviceValue, address), key.SetStringValue(tokenValue, tokenFile))
}
