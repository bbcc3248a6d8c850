// Command gatemap answers what people can do, why, and why not.
package main

import (
	"os"

	"gatemap/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
