package media_test

import (
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"
	"unicode/utf8"

	"zestyloom/internal/bounded"
	"zestyloom/internal/media"
)

// What a browser says of an upload (its tus metadata, as it is kept beside the bytes): whatever it is, the file gets a
// place of one name in the folder that is its own.
func FuzzUpload(f *testing.F) {
	for _, name := range []string{"a.wav", "../../etc/passwd", "a/b\\c.wav", "..", ".", "", "con.wav", "a.\x00wav", "\xff.wav", strings.Repeat("ä", 300) + ".wav", "x." + strings.Repeat("y", 9), ".hidden", "a.w/v"} {
		b, _ := json.Marshal(map[string]any{"Size": 10, "MetaData": map[string]string{"filename": name, "production": "p"}})
		f.Add(b)
	}
	f.Add([]byte(`{"Size": 1e99}`))
	f.Add([]byte(`{"MetaData": [`))
	folder, err := media.Open(f.TempDir())
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		read := func() {
			u, err := media.ReadUpload(b)
			if err != nil {
				return
			}
			at := folder.OriginalPath(u.File, u.Name)
			own := filepath.Join(media.Originals, u.File.String())
			name := filepath.Base(at)
			if filepath.Dir(at) != own || name == "." || name == ".." || strings.HasPrefix(name, ".") || len(name) > 255 || !utf8.ValidString(name) || strings.ContainsAny(name, "/\\\x00") {
				t.Fatalf("%q would be put at %q", u.Name, at)
			}
		}
		if len(b) < 1000 { // worth nothing, and measuring stops everything
			read()
		} else {
			bounded.Check(t, len(b), read)
		}
	})
}
