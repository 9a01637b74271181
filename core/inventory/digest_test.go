package inventory_test

import (
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/inventory"
	"rankwarden.example/core/principal"
)

// everything is a reported state that has one of everything.
func everything(t *testing.T) *drift.State {
	s := state(t, "keeper=1001", "administrators: 1001")
	at := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	s.Accounts[0].PasswordSetAt = at
	s.Sudo = []drift.Sudo{{Name: "keeper", SID: sid(t, machine+"1001"), Via: "/etc/sudoers.d/tide",
		Commands: []string{"ALL"}}}
	s.Uses = []drift.Use{{SID: sid(t, machine+"1001"), LastSignIn: &at, Runs: []string{"service tide-sync"}}}
	return &s
}

// leaves calls visit with every value in v that has no parts, and sets it to another one while it does.
func leaves(v reflect.Value, path string, visit func(path string)) {
	was := reflect.New(v.Type()).Elem()
	was.Set(v)
	switch x := v.Interface().(type) {
	case principal.SID:
		v.Set(reflect.ValueOf(principal.MustSID(machine + "4711")))
	case time.Time:
		v.Set(reflect.ValueOf(x.Add(36 * time.Hour)))
	case string:
		v.SetString(x + "x")
	case bool:
		v.SetBool(!x)
	case int:
		v.SetInt(int64(x) + 1)
	default:
		parts(v, path, visit)
		return
	}
	visit(path)
	v.Set(was)
}

func parts(v reflect.Value, path string, visit func(path string)) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				leaves(v.Field(i), path+"."+f.Name, visit)
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			leaves(v.Index(i), path, visit)
		}
	case reflect.Pointer:
		if !v.IsNil() {
			leaves(v.Elem(), path, visit)
		}
	default: // of another kind nothing is in an inventory
	}
}

// Whatever is another inventory has another digest: each value of a report is altered by itself.
func TestEveryValueOfAnInventoryIsInItsDigest(t *testing.T) {
	s := everything(t)
	inv, digest := inventory.Of(*s), inventory.Digest(s)
	assert.Len(t, digest, 22)
	require.Equal(t, digest, inventory.Digest(everything(t)))
	seen := 0
	leaves(reflect.ValueOf(s).Elem(), "state", func(path string) {
		if !reflect.DeepEqual(inv, inventory.Of(*s)) {
			seen++
			assert.NotEqual(t, digest, inventory.Digest(s), path)
		}
	})
	assert.Greater(t, seen, 20, "values that are in an inventory")
	assert.Equal(t, digest, inventory.Digest(s), "as before")
}

// What the inventory does not have does not write it anew: a last sign-in counts by its day.
func TestTheSameInventoryByItsDigest(t *testing.T) {
	s, other := everything(t), everything(t)
	later := other.Uses[0].LastSignIn.Add(time.Hour)
	other.Uses[0].LastSignIn = &later
	other.Accounts[0].Locked = true
	assert.Equal(t, inventory.Digest(s), inventory.Digest(other))

	moved := everything(t)
	moved.Accounts[0].Name, moved.Accounts[0].FullName = "keep", "er"+moved.Accounts[0].FullName
	assert.NotEqual(t, inventory.Digest(s), inventory.Digest(moved), "what stands side by side does not run together")
}
