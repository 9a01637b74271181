// Command write writes the scenario of a large organisation to standard output.
package main

import (
	"fmt"
	"os"

	"rankwarden.example/demo/largefleet"
)

func main() {
	if err := largefleet.Write(os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
