package atomicfile

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/windows"
)

// Write replaces a file whole: after a crash, or when the power went, there is the old one or the new one. Who may read
// it is decided by its directory.
func Write(path string, data []byte, _ os.FileMode) error {
	next, err := os.CreateTemp(filepath.Dir(path), ".next-*")
	if err != nil {
		return err
	}
	_, err = next.Write(data)
	if err = errors.Join(err, next.Sync(), next.Close()); err == nil {
		err = replace(next.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(next.Name()))
	}
	return nil
}

func replace(from, to string) error {
	source, err := windows.UTF16PtrFromString(from)
	if err != nil {
		return err
	}
	target, err := windows.UTF16PtrFromString(to)
	if err != nil {
		return err
	}
	return windows.MoveFileEx(source, target, windows.MOVEFILE_REPLACE_EXISTING|windows.MOVEFILE_WRITE_THROUGH)
}
