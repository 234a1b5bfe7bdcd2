package main

import (
	"fmt"
	"runtime"
	"runtime/debug"

	"github.com/spf13/cobra"
)

// release is set by the build of a release; other builds say the commit they were made from.
var release = ""

// version says which program this is, from what the builder wrote into it.
func version(info *debug.BuildInfo, ok bool) string {
	name, commit, at, changed := release, "", "", ""
	if ok {
		for _, s := range info.Settings {
			switch s.Key {
			case "vcs.revision":
				commit = s.Value[:min(12, len(s.Value))]
			case "vcs.time":
				at = s.Value
			case "vcs.modified":
				if s.Value == "true" {
					changed = ", with changes that are not committed"
				}
			}
		}
	}
	if name == "" {
		name = "development"
	}
	out := "pandrel " + name
	if commit != "" {
		out += fmt.Sprintf(" (commit %s of %s%s)", commit, at, changed)
	}
	return fmt.Sprintf("%s, %s, %s/%s", out, runtime.Version(), runtime.GOOS, runtime.GOARCH)
}

func versionCmd() *cobra.Command {
	return &cobra.Command{Use: "version", Short: "Say which program this is", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := fmt.Fprintln(cmd.OutOrStdout(), version(debug.ReadBuildInfo()))
			return err
		}}
}
