// Package win32 makes the calls of a [windows.System] on a real Windows, through its documented functions. Buffers that
// the system gives are freed here, and errors are given as codes. On other platforms only the layout of its structures
// is built, so that it can be compared with the headers there.
package win32
