// Command revuelta turns messy wide exports into tidy tables.
package main

import (
	"os"

	"revuelta/internal/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], cli.Streams{In: os.Stdin, Out: os.Stdout, Err: ownStderr()}))
}
