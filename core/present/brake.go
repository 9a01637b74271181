package present

import "fmt"

// HeldByBrake says what would alter too many devices, of a kind (facts, rule or directory).
func HeldByBrake(kind, object string, devices, fleet int) string {
	what := "a change of facts"
	switch kind {
	case "rule":
		what = "another rule of the group " + object
	case "directory":
		what = "an import of the directory"
	}
	return fmt.Sprintf("%s would alter the desired state of %s of %d", what, count(devices, "device", "devices"), fleet)
}
