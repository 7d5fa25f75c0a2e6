package main

import (
	"fmt"
	"runtime"

	"github.com/spf13/cobra"
)

// commit is the state of the source, as git describes it; ./keel sets it at the build.
var commit = "of an unknown commit"

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Tell which state of the source this program was built from", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "zerokeel %s, %s %s/%s\n", commit, runtime.Version(), runtime.GOOS, runtime.GOARCH)
			return err
		},
	}
}
