package passwords_test

import (
	"testing"

	"rankwarden.example/internal/store/storetest"
)

func TestMain(m *testing.M) { storetest.Run(m) }
