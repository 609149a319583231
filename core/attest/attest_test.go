package attest_test

import (
	"bytes"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
)

var key = ed25519.NewKeyFromSeed([]byte("thirty-two bytes of lantern oil."))

func made() delivery.Made {
	alike := 0.99975
	m := delivery.Made{}
	m.Plan.Order.Titles = delivery.Titles{Production: "Lantern Ferry", Episode: "1", Reel: "Reel \"1\"\nverdict as ordered"}
	m.Plan.Order.Spec.Name, m.Plan.Order.Spec.Version = "Stems 5.1", 3
	m.Plan.Start, m.Plan.Frames, m.Plan.Rates = 172_800_000, 48_000, delivery.Rates{Reel: 48000, Files: 48000}
	m.Proof = delivery.Proof{Passed: true, Files: []delivery.FileProof{
		{Name: "stems/Lantern Ferry_DX.wav", Bytes: 1234, Hash: "0123456789abcdef", Channels: []delivery.ChannelProof{{Channel: 1, Name: "DX L", Hash: "fedcba9876543210", OK: true}}},
		{Name: "film.mp4", Bytes: 99, Hash: "00000000000000ff", Channels: []delivery.ChannelProof{{Channel: 1, Name: "L", Alike: &alike, OK: true}}},
	}}
	return m
}

// A statement says what a proof does, is read back, and an edit of any letter of it is found.
func TestStatements(t *testing.T) {
	at := time.Date(2026, 3, 14, 22, 10, 0, 0, time.UTC)
	s := attest.Sign(key, attest.Statement(made(), 4, at))
	assert.True(t, s.Holds())
	assert.True(t, s.Of(made()))
	assert.True(t, s.Passed())
	assert.Contains(t, s.Statement, "\ndelivery version 4\n")
	assert.Contains(t, s.Statement, "\nproven 2026-03-14T22:10:00Z\n")
	files, err := s.Files()
	require.NoError(t, err)
	assert.Equal(t, []attest.File{{"stems/Lantern Ferry_DX.wav", 1234, "0123456789abcdef"}, {"film.mp4", 99, "00000000000000ff"}}, files)

	var b bytes.Buffer
	require.NoError(t, s.Write(&b))
	for what, text := range map[string]string{"as it is": b.String(), "as a mail makes it": strings.ReplaceAll(b.String(), "\n", "\r\n")} {
		again, err := attest.Read(strings.NewReader(text))
		require.NoError(t, err, what)
		assert.Equal(t, s, again, what)
	}
	asJSON, err := json.Marshal(s)
	require.NoError(t, err)
	var kept attest.Signed
	require.NoError(t, json.Unmarshal(asJSON, &kept))
	assert.Equal(t, s, kept)

	text := s.Statement
	for i := range text {
		edited := s
		edited.Statement = text[:i] + string(rune(text[i]^1)) + text[i+1:]
		require.False(t, edited.Holds(), "letter %d", i)
	}
	other := made()
	other.Proof.Files[0].Hash = "0123456789abcdee"
	assert.False(t, s.Of(other))
	failed := made()
	failed.Proof.Passed = false
	not := attest.Sign(key, attest.Statement(failed, 4, at))
	assert.False(t, not.Passed(), "though a name of its reel says so on a line")
	assert.False(t, attest.Signed{}.Holds())
}

// Plain tools come to the same: the signature is what OpenSSL takes for it.
func TestOpenSSLVerifies(t *testing.T) {
	s := attest.Sign(key, attest.Statement(made(), 4, time.Unix(0, 0)))
	dir := t.TempDir()
	write := func(name string, b []byte) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, b, 0o600))
		return path
	}
	pem, sig := write("key.pem", []byte(attest.PEM(s.Key))), write("sig", s.Signature)
	verify := func(statement string) error {
		return exec.Command("openssl", "pkeyutl", "-verify", "-pubin", "-inkey", pem, "-rawin", "-in", write("statement", []byte(statement)), "-sigfile", sig).Run()
	}
	assert.NoError(t, verify(s.Statement))
	assert.Error(t, verify(strings.Replace(s.Statement, "1234", "1235", 1)))
}

func TestKeys(t *testing.T) {
	public := key.Public().(ed25519.PublicKey)
	for _, text := range []string{attest.PEM(public), base64.StdEncoding.EncodeToString(public), " " + base64.StdEncoding.EncodeToString(public) + "\n"} {
		got, err := attest.ParseKey(text)
		require.NoError(t, err)
		assert.True(t, public.Equal(got))
	}
	for _, text := range []string{"", "no key", "AAAA", "-----BEGIN PUBLIC KEY-----\nAAAA\n-----END PUBLIC KEY-----\n"} {
		_, err := attest.ParseKey(text)
		assert.Error(t, err, text)
	}
	assert.Regexp(t, `^[0-9a-f]{4}( [0-9a-f]{4}){3}$`, attest.Fingerprint(public))
}

func TestWhatIsNoSignedProof(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, attest.Sign(key, attest.Statement(made(), 4, time.Unix(0, 0))).Write(&b))
	good := b.String()
	for name, text := range map[string]string{
		"nothing": "", "something else": "a list of files\n", "no signature": good[:strings.Index(good, "signature ")], "no key": strings.Replace(good, "key ed25519 ", "", 1),
		"no base64": strings.Replace(good, "signature ", "signature !", 1), "half": good[:40],
	} {
		_, err := attest.Read(strings.NewReader(text))
		assert.Error(t, err, name)
	}
}

func FuzzRead(f *testing.F) {
	var b bytes.Buffer
	if err := attest.Sign(key, attest.Statement(made(), 4, time.Unix(0, 0))).Write(&b); err != nil {
		f.Fatal(err)
	}
	f.Add(b.Bytes())
	f.Add([]byte("Zesty Loom proof, form 1\nfile \"a\" bytes 1 xxh64 0\n\nkey ed25519 AA==\nsignature AA==\n"))
	f.Fuzz(func(t *testing.T, text []byte) {
		s, err := attest.Read(bytes.NewReader(text))
		if err != nil {
			return
		}
		_, _ = s.Files()
		if s.Holds() && !bytes.Contains(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")), []byte(s.Statement[:len(s.Statement)-1])) {
			t.Fatal("a statement that is not what was read")
		}
	})
}

// What docs/proof.md has people type, works as it stands there.
func TestTheWayThatIsWritten(t *testing.T) {
	doc, err := os.ReadFile("../../docs/proof.md")
	require.NoError(t, err)
	_, rest, found := strings.Cut(string(doc), "```sh\n")
	require.True(t, found)
	typed, _, _ := strings.Cut(rest, "```")
	dir := t.TempDir()
	s := attest.Sign(key, attest.Statement(made(), 4, time.Unix(0, 0)))
	var b bytes.Buffer
	require.NoError(t, s.Write(&b))
	run := func(text []byte) error {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "delivery.proof"), text, 0o600))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "key.pem"), []byte(attest.PEM(s.Key)), 0o600))
		sh := exec.Command("bash", "-euo", "pipefail", "-c", typed)
		sh.Dir = dir
		return sh.Run()
	}
	assert.NoError(t, run(b.Bytes()))
	assert.Error(t, run(bytes.Replace(b.Bytes(), []byte("bytes 99"), []byte("bytes 98"), 1)))
}
