package take

import (
	"path/filepath"
	"strings"
)

// stemWords are the words that mix houses put into the names of finished stems.
var stemWords = map[string]string{
	"dx": "DX", "dia": "DX", "dial": "DX", "dialog": "DX", "dialogue": "DX",
	"mx": "MX", "mus": "MX", "music": "MX", "score": "MX",
	"fx": "FX", "sfx": "FX", "efx": "FX", "effects": "FX", "foley": "FX", "bg": "FX",
	"vo": "VO", "narr": "VO", "narration": "VO", "narrator": "VO",
	"m&e": "M&E", "me": "M&E", "mne": "M&E",
	"fullmix": "Full mix", "full": "Full mix", "mix": "Full mix", "fm": "Full mix", "printmaster": "Full mix",
}

// GuessStem reads from a file's name which stem it holds: DX, MX, FX, VO, M&E or Full mix, empty
// when it doesn't say. A word beside a stem's is stronger than "mix": in "DX mix" it is the DX.
func GuessStem(name string) string {
	base := strings.ToLower(strings.TrimSuffix(filepath.Base(name), filepath.Ext(name)))
	found := ""
	for _, w := range strings.FieldsFunc(base, func(r rune) bool { return strings.ContainsRune("._- ()[]", r) }) {
		if s := stemWords[w]; s != "" && (found == "" || found == "Full mix") {
			found = s
		}
	}
	return found
}

// StemKind is the kind of sound that a name says it holds: DX, MX, FX or VO, empty for a mix of several kinds and
// when it doesn't say.
func StemKind(name string) string {
	switch k := GuessStem(name); k {
	case "DX", "MX", "FX", "VO":
		return k
	}
	return ""
}

// MadeElsewhere reports whether a strand is of music, effects or narration, which nobody recorded on the set: by the stem
// that it was given, or else by what its file or its label is called.
func MadeElsewhere(stem, file, label string) bool {
	made := func(kind string) bool { return kind == "MX" || kind == "FX" || kind == "VO" || kind == "M&E" }
	if stem != "" {
		return made(stem)
	}
	return made(GuessStem(file)) || made(GuessStem(label))
}
