// Package durably replaces files so that they are there after a crash.
package durably
