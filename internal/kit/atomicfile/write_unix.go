//go:build !windows

package atomicfile

import (
	"errors"
	"os"
	"path/filepath"

	"github.com/google/renameio/v2"
)

// Write replaces a file whole: after a crash, or when the power went, there is the old one or the new one.
func Write(path string, data []byte, mode os.FileMode) error {
	if err := renameio.WriteFile(path, data, mode, renameio.WithStaticPermissions(mode)); err != nil {
		return err
	}
	directory, err := os.Open(filepath.Dir(path)) // else the new name itself may be lost with the power
	if err != nil {
		return err
	}
	return errors.Join(directory.Sync(), directory.Close())
}
