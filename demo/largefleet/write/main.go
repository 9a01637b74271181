// Command write writes the scenario of a large organisation to standard output.
package main

import (
	"bufio"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"rankwarden.example/demo/largefleet"
)

func main() {
	hard := flag.Int("hard", 0, "write a harder organisation, of so many devices")
	flag.Parse()
	out := bufio.NewWriter(os.Stdout)
	write := largefleet.Write
	if *hard > 0 {
		write = func(w io.Writer) error { return largefleet.WriteHarderOf(w, *hard) }
	}
	if err := errors.Join(write(out), out.Flush()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
