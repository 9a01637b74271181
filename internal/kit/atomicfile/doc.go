// Package atomicfile replaces files so that they are there after a crash.
package atomicfile
