// Package memory is a Windows in memory: it answers the calls of a [windows.System] as their documentation says, with
// its error codes. What it holds back of the real one, the command host-check looks at on a real machine.
package memory
