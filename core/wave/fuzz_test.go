package wave

import (
	"strings"
	"testing"

	"zestyloom/internal/bounded"
)

func FuzzParseBext(f *testing.F) {
	f.Add(make([]byte, 602))
	f.Add(append(make([]byte, 602), "A=PCM,F=48000,W=24,M=mono\r\n"...))
	f.Add([]byte("sSCENE=21"))
	f.Fuzz(func(t *testing.T, b []byte) {
		bounded.Check(t, len(b), func() {
			x, err := ParseBext(b)
			if (x == nil) == (err == nil) {
				t.Fatal("a chunk beside an error, or neither")
			}
		})
	})
}

// What is read of description lines stays when they are written again.
func FuzzParseDescription(f *testing.F) {
	f.Add("sSPEED=025.000-ND\r\nsSCENE=21A\r\nsTAKE=3\r\nsTRK1=MixL\r\nsTRK2=MixR\r\n")
	f.Add("zTRK3=Boom\nsTRK3=Lav")
	f.Add(strings.Repeat("s=", 300))
	f.Fuzz(func(t *testing.T, s string) {
		bounded.Check(t, len(s), func() {
			d := ParseDescription(s)
			again := ParseDescription(d.String())
			if again.String() != d.String() {
				t.Fatalf("%q became %q", d.String(), again.String())
			}
			d.Tracks()
		})
	})
}
