package treat

import (
	"strings"

	"zestyloom/core/snag"
)

// SettingFormat is the format in which settings are written.
const SettingFormat = 1

// Setting is a chain that is kept under a name, to be used again.
type Setting struct {
	Format int    `json:"format"`
	Name   string `json:"name"`
	Chain  Chain  `json:"chain"`
}

// MostSettingName is how long a name may be.
const MostSettingName = 200

// Check refuses one that can't be kept.
func (s Setting) Check() error {
	switch {
	case s.Format != SettingFormat:
		return snag.Refuse("bad_treatment", "a setting in format %d: this program reads format %d", s.Format, SettingFormat)
	case strings.TrimSpace(s.Name) == "" || len(s.Name) > MostSettingName:
		return snag.Refuse("bad_treatment", "a setting needs a name of at most %d letters", MostSettingName)
	}
	return s.Chain.Check()
}
