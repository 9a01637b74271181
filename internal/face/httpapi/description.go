package httpapi

import (
	"log/slog"

	"github.com/gofiber/fiber/v3"
)

// Description is the OpenAPI document as JSON.
func Description() ([]byte, error) {
	return newAPI(fiber.New(), Options{Log: slog.New(slog.DiscardHandler)}).huma.OpenAPI().MarshalJSON()
}
