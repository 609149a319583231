package cli

import "runtime/debug"

// Version is the version that the next release will have, as in CHANGELOG.md.
const Version = "0.2.0-dev"

// version is Version with what it was built from, where the build says so.
func version() string {
	v := Version
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return v
	}
	for _, s := range info.Settings {
		switch {
		case s.Key == "vcs.revision" && len(s.Value) >= 12:
			v += " " + s.Value[:12]
		case s.Key == "vcs.modified" && s.Value == "true":
			v += ", changed"
		}
	}
	return v
}
