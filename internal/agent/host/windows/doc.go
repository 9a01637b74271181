// Package windows is the host of workstations with Windows. It decides which calls of the system carry a setting out,
// and makes of their answers what the agent knows; the calls themselves stand behind [System], so that all of it is
// tested on any machine. Package win32 makes the calls, package memory answers them as their documentation says.
package windows
