package main

import (
	"runtime/debug"
	"strings"
	"testing"
)

func TestVersion(t *testing.T) {
	settings := func(kv ...string) (out []debug.BuildSetting) {
		for i := 0; i < len(kv); i += 2 {
			out = append(out, debug.BuildSetting{Key: kv[i], Value: kv[i+1]})
		}
		return out
	}
	for _, c := range []struct {
		name     string
		settings []debug.BuildSetting
		ok       bool
		want     string
		not      string
	}{
		{"built without a repository", nil, true, "pandrel development, go", "commit"},
		{"no build info at all", nil, false, "pandrel development, go", "commit"},
		{"a commit", settings("vcs.revision", "0123456789abcdef", "vcs.time", "2026-11-26T10:00:00Z", "vcs.modified",
			"false"), true, "(commit 0123456789ab of 2026-11-26T10:00:00Z)", "changes"},
		{"a commit with changes", settings("vcs.revision", "0123456789abcdef", "vcs.modified", "true"), true,
			"not committed", ""},
		{"a short revision", settings("vcs.revision", "01"), true, "commit 01", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := version(&debug.BuildInfo{Settings: c.settings}, c.ok)
			if !strings.Contains(got, c.want) || c.not != "" && strings.Contains(got, c.not) {
				t.Errorf("%q", got)
			}
		})
	}
	out, _, status := command(t, "version")
	if status != 0 || !strings.HasPrefix(out, "pandrel ") || strings.Count(out, "\n") != 1 {
		t.Errorf("%d %q", status, out)
	}
}
