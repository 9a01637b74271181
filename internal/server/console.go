package server

import (
	"errors"
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"
)

// mountConsole serves the built console. Every path that is no file is a place of the console, and
// gets its one page.
func mountConsole(app *fiber.App, console fs.FS) {
	app.Get("/*", func(c fiber.Ctx) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Path()), "/")
		if strings.HasPrefix(name, "api/") || strings.HasPrefix(name, "device/") {
			return fiber.ErrNotFound
		}
		data, err := fs.ReadFile(console, name)
		if name == "" || errors.Is(err, fs.ErrNotExist) && path.Ext(name) == "" {
			name = "index.html"
			data, err = fs.ReadFile(console, name)
		}
		if err != nil {
			return fiber.ErrNotFound
		}
		if strings.HasPrefix(name, "assets/") {
			c.Set("Cache-Control", "public, max-age=31536000, immutable") // names hold a hash of the content
		} else {
			c.Set("Cache-Control", "no-cache")
		}
		c.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
		return c.Send(data)
	})
}
