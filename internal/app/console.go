package app

import (
	"bytes"
	"compress/gzip"
	"errors"
	"io"
	"io/fs"
	"mime"
	"path"
	"strings"
	"sync"

	"github.com/andybalholm/brotli"
	"github.com/gofiber/fiber/v3"
)

// consoleFile is a file of the console, as it is and compressed, the smallest way first. What gets no smaller by it is
// not compressed.
type consoleFile struct {
	plain  []byte
	packed []packed
}

// packed is a file in a content encoding (RFC 9110, 8.4; RFC 7932 for br), made when the first browser asks for it.
type packed struct {
	encoding string
	bytes    func() []byte
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
		files[name] = consoleFile{plain, []packed{
			{"br", sync.OnceValue(func() []byte {
				return compress(plain, func(w io.Writer) io.WriteCloser {
					return brotli.NewWriterLevel(w, brotli.BestCompression)
				})
			})},
			{"gzip", sync.OnceValue(func() []byte {
				return compress(plain, func(w io.Writer) io.WriteCloser {
					z, _ := gzip.NewWriterLevel(w, gzip.BestCompression) // the level is a good one
					return z
				})
			})},
		}}
		return err
	})
	return files, err
}

// compress gives a compressed form of a file, nil when that is hardly smaller.
func compress(plain []byte, into func(io.Writer) io.WriteCloser) []byte {
	var out bytes.Buffer
	w := into(&out)
	_, _ = w.Write(plain) // memory does not fail
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
		c.Set("Vary", "Accept-Encoding")
		for _, p := range f.packed {
			if c.AcceptsEncodings(p.encoding) != p.encoding {
				continue
			}
			if small := p.bytes(); small != nil {
				c.Set("Content-Encoding", p.encoding)
				return c.Send(small)
			}
			break // it is as small as it gets
		}
		return c.Send(f.plain)
	})
	return nil
}
