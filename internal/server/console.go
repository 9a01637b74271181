package server

import (
	"bytes"
	"compress/gzip"
	"errors"
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// consoleFile is a file of the console, as it is and made small.
type consoleFile struct{ plain, small []byte }

// consoleFiles reads the built console once; what gets smaller by it is compressed once, and not for
// whoever asks.
func consoleFiles(console fs.FS) (map[string]consoleFile, error) {
	files := map[string]consoleFile{}
	err := fs.WalkDir(console, ".", func(name string, entry fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil // a service without a console
		}
		if err != nil || entry.IsDir() {
			return err
		}
		f := consoleFile{}
		if f.plain, err = fs.ReadFile(console, name); err != nil {
			return err
		}
		var out bytes.Buffer
		w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is a good one
		if _, err = w.Write(f.plain); err == nil {
			err = w.Close()
		}
		if out.Len() < len(f.plain)*9/10 {
			f.small = out.Bytes()
		}
		files[name] = f
		return err
	})
	return files, err
}

// mountConsole serves the built console. Every path that is no file is a place of the console, and
// gets its one page.
func mountConsole(app *fiber.App, console fs.FS) error {
	files, err := consoleFiles(console)
	if err != nil {
		return err
	}
	app.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Path()), "/")
		if strings.HasPrefix(name, "api/") || strings.HasPrefix(name, "device/") {
			return fiber.ErrNotFound
		}
		f, found := files[name]
		if !found && path.Ext(name) == "" {
			name = "index.html"
			f, found = files[name]
		}
		if !found {
			return fiber.ErrNotFound
		}
		if strings.HasPrefix(name, "assets/") {
			c.Set("Cache-Control", "public, max-age=31536000, immutable") // names hold a hash of the content
		} else {
			c.Set("Cache-Control", "no-cache")
		}
		c.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
		if f.small == nil {
			return c.Send(f.plain)
		}
		c.Set("Vary", "Accept-Encoding")
		if c.AcceptsEncodings("gzip") != "gzip" {
			return c.Send(f.plain)
		}
		c.Set("Content-Encoding", "gzip")
		return c.Send(f.small)
	})
	return nil
}
