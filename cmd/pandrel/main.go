// Command pandrel is the workshop's program: the pages, and every computation on a file.
//
// Exit status: 0 done, 1 done with a stop or refuse finding, 2 unusable input.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
)

func main() {
	err := root().ExecuteContext(context.Background())
	var b blocked
	switch {
	case err == nil:
	case errors.As(err, &b):
		os.Exit(1)
	default:
		fmt.Fprintln(os.Stderr, "pandrel:", err)
		os.Exit(2)
	}
}

// blocked ends a command that was done but met a stop or refuse finding.
type blocked struct{}

func (blocked) Error() string { return "a stop or refuse finding stands" }
