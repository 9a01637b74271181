package rotation

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestAPasswordThatHoldsAName(t *testing.T) {
	for _, c := range []struct {
		password, name, fullName string
		holds                    bool
	}{
		{"Abacus-Lamp-Pier", "mooring-1204", "Mooring", false},
		{"Abacus-Moorings-Pier", "mooring-1204", "Mooring", true},
		{"x9!KEEPER!x9", "keeper", "", true},
		{"x9!KEEPERS", "keeper-1", "", false}, // the name counts whole, not in its parts
		{"Deskbound-Lamp-Pier", "desk-keeper", "Desk Keeper", true},
		{"Lamp-Ålesund-Pier", "x", "ÅLESUND", true},
		{"Pcat-Lamp-Pier", "pc", "P C", false}, // shorter than three characters
		{"Lamp-Pier", "lam", "", true},
		{"Lamp-Pier", "", "a_pie,r#x.y", true},
	} {
		assert.Equal(t, c.holds, HoldsName(c.password, c.name, c.fullName), c.password)
	}
}
