package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/attest"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// signedHeld is what was found of a signed proof.
type signedHeld struct {
	Proof  string   `json:"proof"`
	Signed bool     `json:"signed"` // by the key that was given
	Files  int      `json:"files"`  // that it names
	Wrong  []string `json:"wrong"`
}

// holdSigned holds files against the signed proofs beside them, or named with them.
func holdSigned(cmd *cobra.Command, args []string, key string, asJSON bool) (held bool, err error) {
	text := key
	if b, err := os.ReadFile(key); err == nil {
		text = string(b)
	} else if !errors.Is(err, fs.ErrNotExist) {
		return false, err
	}
	public, err := attest.ParseKey(text)
	if err != nil {
		return false, err
	}
	var proofs []string
	for _, arg := range args {
		if strings.EqualFold(filepath.Ext(arg), "."+report.SignedProof) {
			proofs = append(proofs, arg)
			continue
		}
		dir := arg
		if st, err := os.Stat(arg); err == nil && !st.IsDir() {
			dir = filepath.Dir(arg)
		}
		found, err := filepath.Glob(filepath.Join(escapeGlob(dir), "*."+report.SignedProof))
		if err != nil {
			return false, err
		}
		proofs = append(proofs, found...)
	}
	if len(proofs) == 0 {
		return false, snag.Refuse("no_proof", "there is no signed proof (*.%s) among the files or beside them: ask for it with the delivery's papers", report.SignedProof)
	}
	held = true
	seen := map[string]bool{}
	for _, path := range proofs {
		if seen[path] {
			continue
		}
		seen[path] = true
		found, err := holdAgainst(cmd, path, public)
		if err != nil {
			return false, fmt.Errorf("%s: %w", path, err)
		}
		held = held && len(found.Wrong) == 0
		if asJSON {
			err = encode(cmd, found)
		} else {
			for _, w := range found.Wrong {
				sayf(cmd, "! %s", shown(w))
			}
			verdict := "signed with the key " + attest.Fingerprint(public) + ", and all of them are what was proven"
			if len(found.Wrong) > 0 {
				verdict = count(len(found.Wrong), "thing") + " not as proven"
			}
			sayf(cmd, "%s: %s, %s", shown(filepath.Base(path)), count(found.Files, "file"), verdict)
		}
		if err != nil {
			return false, err
		}
	}
	return held, nil
}

// escapeGlob has a folder's name stand for itself in a pattern.
func escapeGlob(dir string) string {
	return strings.NewReplacer(`\`, `\\`, `*`, `\*`, `?`, `\?`, `[`, `\[`).Replace(dir)
}

func holdAgainst(cmd *cobra.Command, path string, key []byte) (h signedHeld, err error) {
	h.Proof, h.Wrong = path, []string{}
	f, err := os.Open(path)
	if err != nil {
		return h, err
	}
	defer f.Close()
	s, err := attest.Read(f)
	if err != nil {
		return h, err
	}
	say := func(format string, args ...any) { h.Wrong = append(h.Wrong, fmt.Sprintf(format, args...)) }
	switch {
	case !bytes.Equal(s.Key, key):
		say("it is signed with another key, %s, than the one that was given, %s", attest.Fingerprint(s.Key), attest.Fingerprint(key))
	case !s.Holds():
		say("its text is not what was signed: it was edited")
	default:
		h.Signed = true
	}
	if !s.Passed() {
		say("it does not say that the delivery was as ordered")
	}
	files, err := s.Files()
	if err != nil {
		return h, err
	}
	h.Files = len(files)
	for _, file := range files {
		if err := cmd.Context().Err(); err != nil {
			return h, err
		}
		if !filepath.IsLocal(filepath.FromSlash(file.Name)) {
			say("%s: it names a file outside of its folder", file.Name)
			continue
		}
		sums, err := source.HashFile(filepath.Join(filepath.Dir(path), filepath.FromSlash(file.Name)))
		switch {
		case err != nil:
			say("%s: %s", file.Name, snag.Of(err).Message)
		case sums.Bytes != file.Bytes:
			say("%s: it has %d bytes, and had %d when it was proven", file.Name, sums.Bytes, file.Bytes)
		case sums.Hash() != file.Hash:
			say("%s: its hash is %s, and was %s when it was proven", file.Name, sums.Hash(), file.Hash)
		}
	}
	return h, nil
}
