package cli_test

import (
	"crypto/ed25519"
	"encoding/base64"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/source"
	"zestyloom/internal/app"
	"zestyloom/internal/cli"
	"zestyloom/internal/jobs"
	"zestyloom/internal/media"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/store"
	"zestyloom/internal/testmedia"
)

// Everything that is kept is read, by the command as by the application, and what is not what it was is said.
func TestScrub(t *testing.T) {
	home, url := t.TempDir(), pgtest.URL(t)
	scrub := []string{"scrub", "--home", home, "--database", url}
	said, _, err := outputs(t, scrub...)
	require.NoError(t, err)
	assert.Contains(t, said, "0 things read and compared")

	st, err := store.Open(t.Context(), url)
	require.NoError(t, err)
	defer st.Close()
	folder, err := media.Open(filepath.Join(home, "media"))
	require.NoError(t, err)
	queue, err := jobs.NewQueue(st, nil)
	require.NoError(t, err)
	a := &app.App{Store: st, Media: folder, Queue: queue, Now: time.Now}
	p, err := a.CreateProduction(t.Context(), app.NewProduction{Name: "Ferry", SampleRate: 48000, Rate: "25", Start: "10:00:00:00"})
	require.NoError(t, err)
	b, err := os.ReadFile(testmedia.Path(t, "poly8_s24.wav"))
	require.NoError(t, err)
	upload := filepath.Join(folder.Uploads(), "u")
	require.NoError(t, os.WriteFile(upload, b, 0o600))
	f, err := a.TakeUpload(t.Context(), p.ID, "21A.wav", upload, int64(len(b)))
	require.NoError(t, err)
	require.NoError(t, a.Analyse(t.Context(), f.ID))

	said, _, err = outputs(t, scrub...)
	require.NoError(t, err)
	assert.Contains(t, said, "1 thing read and compared")
	b[600_000] ^= 1
	b[900_000] ^= 1
	require.NoError(t, os.WriteFile(folder.Path(f.Path), b, 0o600))
	said, _, err = outputs(t, scrub...)
	assert.Equal(t, 3, cli.Status(err))
	assert.Contains(t, said, "21A.wav is not what it was when it was taken in: block 2 (bytes 524288 to 786431) has other contents, and 1 more blocks of 5")
	said, _, err = outputs(t, append(scrub, "--json", "--gently")...)
	assert.Equal(t, 3, cli.Status(err))
	assert.Equal(t, "source_changed", lines(t, said)[0]["code"])
}

// Files are held against the signed proof that came with them: by the key that was given, and no other; each edit of either is found.
func TestVerifyByKey(t *testing.T) {
	dir := t.TempDir()
	key := ed25519.NewKeyFromSeed([]byte("thirty-two bytes of lantern oil."))
	public := key.Public().(ed25519.PublicKey)
	pem := filepath.Join(t.TempDir(), "key.pem")
	require.NoError(t, os.WriteFile(pem, []byte(attest.PEM(public)), 0o600))
	m := delivery.Made{Proof: delivery.Proof{Passed: true}}
	for i, name := range []string{"DX.wav", "stems/FX.wav"} {
		path := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		recorded(t, path, uint64(i), 0, "L", "R")
		sums, err := source.HashFile(path)
		require.NoError(t, err)
		m.Proof.Files = append(m.Proof.Files, delivery.FileProof{Name: name, Bytes: sums.Bytes, Hash: sums.Hash()})
	}
	write := func(s attest.Signed) {
		f, err := os.Create(filepath.Join(dir, "Ferry v1.proof"))
		require.NoError(t, err)
		require.NoError(t, s.Write(f))
		require.NoError(t, f.Close())
	}
	good := attest.Sign(key, attest.Statement(m, 1, time.Unix(0, 0)))
	write(good)
	for _, given := range []string{pem, base64.StdEncoding.EncodeToString(public)} {
		said, told, err := outputs(t, "verify", dir, "--key", given)
		require.NoError(t, err, told)
		assert.Contains(t, said, "2 files, signed with the key "+attest.Fingerprint(public))
	}
	said, _, err := outputs(t, "verify", filepath.Join(dir, "DX.wav"), "--key", pem, "--json")
	require.NoError(t, err)
	assert.Equal(t, true, lines(t, said)[0]["signed"])

	wrong := func(want string) {
		t.Helper()
		said, _, err := outputs(t, "verify", dir, "--key", pem)
		assert.Equal(t, 3, cli.Status(err), said)
		assert.Contains(t, said, want)
	}
	edited := good
	edited.Statement = strings.Replace(good.Statement, m.Proof.Files[0].Hash, "0000000000000000", 1)
	write(edited)
	wrong("its text is not what was signed")
	write(attest.Sign(ed25519.NewKeyFromSeed(make([]byte, 32)), good.Statement))
	wrong("it is signed with another key")
	failed := m
	failed.Proof.Passed = false
	write(attest.Sign(key, attest.Statement(failed, 1, time.Unix(0, 0))))
	wrong("it does not say that the delivery was as ordered")
	outside := m
	outside.Proof.Files = []delivery.FileProof{{Name: "../DX.wav", Hash: "0"}}
	write(attest.Sign(key, attest.Statement(outside, 1, time.Unix(0, 0))))
	wrong("outside of its folder")
	write(good)
	fx := filepath.Join(dir, "stems", "FX.wav")
	b, err := os.ReadFile(fx)
	require.NoError(t, err)
	b[len(b)-1] ^= 1
	require.NoError(t, os.WriteFile(fx, b, 0o600))
	wrong("stems/FX.wav: its hash is")
	require.NoError(t, os.WriteFile(fx, b[:100], 0o600))
	wrong("stems/FX.wav: it has 100 bytes")
	require.NoError(t, os.Remove(fx))
	wrong("stems/FX.wav: there is no such file")
	require.NoError(t, os.Remove(filepath.Join(dir, "Ferry v1.proof")))
	_, told, err := outputs(t, "verify", dir, "--key", pem)
	assert.Equal(t, 1, cli.Status(err))
	assert.Contains(t, told, "no signed proof")
	_, _, err = outputs(t, "verify", dir, "--key", "no key")
	assert.Equal(t, 1, cli.Status(err))
	_, _, err = outputs(t, "verify", dir)
	assert.Equal(t, 2, cli.Status(err))
}
