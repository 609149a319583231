package naming_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
)

func TestLines(t *testing.T) {
	assert.NoError(t, naming.CheckLine("a track", " Boom\n"), "as it is kept it has none")
	for text, want := range map[string]string{
		"Boom": "Boom", "Lav Inès – 2": "Lav Inès – 2", "a\nb": `a\nb`, "a\r\nb": `a\r\nb`, "a\tx": `a\tx`, "a\u0085b": `a\u0085b`, "a\u2028b": `a\u2028b`, "a\x00b": `a\x00b`, "it's": "it's",
	} {
		assert.Equal(t, want, naming.OneLine(text))
		assert.NoError(t, naming.CheckLine("a track", naming.OneLine(text)), "%q", text)
		if err := naming.CheckLine("a track", text); want == text {
			assert.NoError(t, err)
		} else {
			assert.Equal(t, "bad_label", snag.Of(err).Code, "%q", text)
		}
	}
}
