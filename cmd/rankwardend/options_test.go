package main

import (
	"testing"

	"rankwarden.example/internal/kit/manual/manualtest"
)

func TestOptionsNameTheirKindOfValue(t *testing.T) { manualtest.Options(t, root()) }
