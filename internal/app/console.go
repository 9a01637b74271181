package app

import (
	"bytes"
	"compress/gzip"
	"errors"
	"io/fs"
	"mime"
	"path"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"
)

// consoleFile is a file of the console, as it is and compressed. What gets no smaller by it is not compressed.
type consoleFile struct {
	plain      []byte
	compressed func() []byte // once, when the first browser asks for it
}

// consoleFiles reads the built console; there are none in a service without a console.
func consoleFiles(console fs.FS) (map[string]consoleFile, error) {
	files := map[string]consoleFile{}
	err := fs.WalkDir(console, ".", func(name string, entry fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil
		}
		if err != nil || entry.IsDir() {
			return err
		}
		plain, err := fs.ReadFile(console, name)
		files[name] = consoleFile{plain, sync.OnceValue(func() []byte { return compress(plain) })}
		return err
	})
	return files, err
}

// compress gives the gzip form of a file, nil when that is hardly smaller.
func compress(plain []byte) []byte {
	var out bytes.Buffer
	w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is a good one
	_, _ = w.Write(plain)                                   // memory does not fail
	if w.Close() != nil || out.Len() >= len(plain)*9/10 {
		return nil
	}
	return out.Bytes()
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
		small := f.compressed()
		if small == nil {
			return c.Send(f.plain)
		}
		c.Set("Vary", "Accept-Encoding")
		if c.AcceptsEncodings("gzip") != "gzip" {
			return c.Send(f.plain)
		}
		c.Set("Content-Encoding", "gzip")
		return c.Send(small)
	})
	return nil
}
