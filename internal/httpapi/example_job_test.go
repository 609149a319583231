package httpapi_test

import (
	"archive/zip"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// The example of the whole job with curl does what it says, and says what is wrong.
func TestTheWholeJobWithCurl(t *testing.T) {
	s := start(t, "")
	out := t.TempDir()
	run := func(args ...string) (string, error) {
		cmd := exec.Command("../../docs/examples/whole-job.sh", append([]string{s.url}, args...)...)
		said, err := cmd.CombinedOutput()
		return string(said), err
	}
	said, err := run(testmedia.Path(t, "poly8_s24.wav"), out, "MixL=-", "MixR=-", "Boom=DX", "Lav Ines=DX", "Score L=MX", "Score R=MX", "Ferry=FX")
	require.NoError(t, err, said)
	assert.Contains(t, said, "Full mix is DX + MX + FX, bit for bit")
	b, err := os.ReadFile(filepath.Join(out, "delivery.json"))
	require.NoError(t, err)
	var d contract.Delivery
	require.NoError(t, json.Unmarshal(b, &d))
	assert.True(t, d.Proof.Passed)
	z, err := zip.OpenReader(filepath.Join(out, "delivery.zip"))
	require.NoError(t, err)
	defer z.Close()
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
	}
	assert.Len(t, names, 9, "four stereo files, four papers and the signed proof")
	assert.Contains(t, strings.Join(names, "\n"), "Lantern Ferry_Ep 2_Reel 1_DX_v1.wav")

	// Papers and files come as what they are; their kinds are those of the contract.
	for paper, want := range map[string]string{"pdf": "application/pdf", "csv": "text/csv; charset=utf-8", "json": "application/json", "mhl": "application/xml", "proof": "text/plain; charset=utf-8"} {
		resp, body := s.ask("GET", "/api/deliveries/"+d.Id.String()+"/papers/"+paper, nil, nil)
		assert.Equal(t, []any{200, want}, []any{resp.StatusCode, resp.Header.Get("Content-Type")})
		assert.NotEmpty(t, body)
	}
	resp, body := s.ask("GET", "/api/deliveries/"+d.Id.String()+"/files/0", nil, nil)
	assert.Equal(t, []any{200, "audio/wav"}, []any{resp.StatusCode, resp.Header.Get("Content-Type")})
	assert.Equal(t, "RIFF", body[:4])

	// A stem that is not there is a problem in the server's words.
	said, err = run(filepath.Join(out, "delivery.json"), out, "Boom=DX")
	require.Error(t, err)
	assert.NotContains(t, said, "9. Read")
}
