//go:build !windows

package main

// publicStatus is where everybody may read how the device stands.
const publicStatus = "/run/rankwarden-agent/status.json"
