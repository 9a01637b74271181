// Package console holds the built web console, which the service serves.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files are the files of the console. They are empty but for a marker until it was built.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // only for a malformed path, and this one is constant
	}
	return files
}
