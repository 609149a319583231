package take

import (
	"cmp"
	"path/filepath"
	"slices"
	"strings"
)

// stemWords are the words that mix houses put into the names of finished stems. docs/command-line.md lists them, and
// zestyloom templates --words.
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

// Word is one by which a name says what it holds.
type Word struct{ Word, Means string }

// StemWords lists the words by which stems are known in names, in order.
func StemWords() []Word { return words(stemWords) }

// LanguageWords lists those by which languages are, with the BCP 47 tags that they mean.
func LanguageWords() []Word { return words(languageWords) }

func words(m map[string]string) (out []Word) {
	for w, means := range m {
		out = append(out, Word{w, means})
	}
	slices.SortFunc(out, func(a, b Word) int {
		return cmp.Or(strings.Compare(a.Means, b.Means), strings.Compare(a.Word, b.Word))
	})
	return out
}

// languageWords are the codes of ISO 639 and the English names by which languages stand in names, with BCP 47 tags.
var languageWords = map[string]string{
	"en": "en", "eng": "en", "english": "en", "pt": "pt", "por": "pt", "portuguese": "pt", "ptbr": "pt-BR",
	"de": "de", "deu": "de", "ger": "de", "german": "de", "fr": "fr", "fra": "fr", "fre": "fr", "french": "fr",
	"es": "es", "spa": "es", "spanish": "es", "it": "it", "ita": "it", "italian": "it", "nl": "nl", "nld": "nl", "dut": "nl", "dutch": "nl",
	"sv": "sv", "swe": "sv", "swedish": "sv", "da": "da", "dan": "da", "danish": "da", "nb": "nb", "no": "no", "nor": "no", "norwegian": "no",
	"fi": "fi", "fin": "fi", "finnish": "fi", "is": "is", "isl": "is", "icelandic": "is", "pl": "pl", "pol": "pl", "polish": "pl",
	"cs": "cs", "ces": "cs", "cze": "cs", "czech": "cs", "sk": "sk", "slk": "sk", "slovak": "sk", "hu": "hu", "hun": "hu", "hungarian": "hu",
	"ro": "ro", "ron": "ro", "romanian": "ro", "el": "el", "ell": "el", "greek": "el", "tr": "tr", "tur": "tr", "turkish": "tr",
	"ru": "ru", "rus": "ru", "russian": "ru", "uk": "uk", "ukr": "uk", "ukrainian": "uk", "ja": "ja", "jpn": "ja", "japanese": "ja",
	"zh": "zh", "zho": "zh", "chi": "zh", "chinese": "zh", "ko": "ko", "kor": "ko", "korean": "ko", "ar": "ar", "ara": "ar", "arabic": "ar",
	"he": "he", "heb": "he", "hebrew": "he", "hi": "hi", "hin": "hi", "hindi": "hi", "cy": "cy", "cym": "cy", "welsh": "cy",
}

// Language is the BCP 47 tag of the language that the name of speech says it is in: empty when it doesn't say, and for what
// is no voice-over or dialogue, where such words mean other things.
func Language(name string) string {
	if kind := StemKind(name); kind != "VO" && kind != "DX" {
		return ""
	}
	found := ""
	for _, w := range nameWords(name) {
		if l := languageWords[w]; l != "" {
			found = l
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
