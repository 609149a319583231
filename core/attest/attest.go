// Package attest signs what a delivery was proven to be, by the key of an installation (Ed25519, RFC 8032). What is signed is a
// text of a fact a line, which people read and plain tools check: it names every file with its length and its hash, every
// channel with the hash of its samples, and what it was made of.
package attest

import (
	"bufio"
	"bytes"
	"crypto/ed25519"
	"crypto/sha256"
	"crypto/x509"
	"encoding/base64"
	"encoding/hex"
	"encoding/pem"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"zestyloom/core/delivery"
	"zestyloom/core/snag"
)

// first is how every statement begins: its form is part of what is signed.
const first = "Zesty Loom proof, form 1"

// mostBytes of a signed statement that is read: of a thousand files of 64 channels it is below ten million.
const mostBytes = 64 << 20

// Signed is a statement with its signature, as it is kept and goes along with a delivery.
type Signed struct {
	Statement string            `json:"statement"`
	Key       ed25519.PublicKey `json:"key"`       // 32 bytes, in JSON in base64
	Signature []byte            `json:"signature"` // 64 bytes, in JSON in base64
}

// Statement says what a delivery was proven to be: a fact a line, names in quotation marks with escapes as Go and JSON have
// them. number is its version, at when it was proven.
func Statement(m delivery.Made, number int, at time.Time) string {
	var b bytes.Buffer
	p, o := m.Plan, m.Plan.Order
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line(first)
	line("production %q episode %q reel %q", o.Titles.Production, o.Titles.Episode, o.Titles.Reel)
	line("spec %q version %d", o.Spec.Name, o.Spec.Version)
	line("delivery version %d", number)
	if p.Test() {
		line("a test of a span: not the programme")
	}
	if o.Recipient != "" {
		line("to %q", o.Recipient)
	}
	line("proven %s", at.UTC().Format(time.RFC3339))
	line("start %d frames %d rate %d", p.Start, p.Frames, p.Rates.Files)
	verdict := "as ordered"
	if !m.Proof.Passed {
		verdict = "not as ordered"
	}
	line("verdict %s", verdict)
	for _, f := range m.Proof.Files {
		line("file %q bytes %d xxh64 %s", f.Name, f.Bytes, f.Hash)
		for _, c := range f.Channels {
			if c.Alike != nil {
				line("channel %d %q compressed, alike %.6f", c.Channel, c.Name, *c.Alike)
				continue
			}
			line("channel %d %q samples xxh64 %s", c.Channel, c.Name, c.Hash)
		}
	}
	for _, u := range p.Uses() {
		line("made of %q xxh64 %s", u.File, u.Hash)
	}
	return b.String()
}

// Sign signs a statement.
func Sign(key ed25519.PrivateKey, statement string) Signed {
	return Signed{Statement: statement, Key: key.Public().(ed25519.PublicKey), Signature: ed25519.Sign(key, []byte(statement))}
}

// Holds reports whether the signature is that of the statement, by the key that it names.
func (s Signed) Holds() bool {
	return len(s.Key) == ed25519.PublicKeySize && ed25519.Verify(s.Key, []byte(s.Statement), s.Signature)
}

// Of reports whether the statement says of the files, of every channel of them and of the verdict what a proof does.
func (s Signed) Of(m delivery.Made) bool {
	return facts(s.Statement) == facts(Statement(m, 0, time.Time{}))
}

// facts are the lines of a statement that are a proof's.
func facts(statement string) string {
	var b strings.Builder
	for l := range strings.Lines(statement) {
		if kind, _, _ := strings.Cut(l, " "); kind == "file" || kind == "channel" || kind == "verdict" {
			b.WriteString(l)
		}
	}
	return b.String()
}

// Fingerprint names a key for people: the first 16 hexadecimal digits of its SHA-256, in fours.
func Fingerprint(key ed25519.PublicKey) string {
	sum := sha256.Sum256(key)
	d := hex.EncodeToString(sum[:8])
	return strings.Join([]string{d[:4], d[4:8], d[8:12], d[12:]}, " ")
}

// PEM writes a public key as other programs read it (SubjectPublicKeyInfo, RFC 8410).
func PEM(key ed25519.PublicKey) string {
	der, err := x509.MarshalPKIXPublicKey(key)
	if err != nil {
		panic(err) // it knows the kind of key
	}
	return string(pem.EncodeToMemory(&pem.Block{Type: "PUBLIC KEY", Bytes: der}))
}

// ParseKey reads a public key: PEM, or its 32 bytes in base64.
func ParseKey(text string) (ed25519.PublicKey, error) {
	if block, _ := pem.Decode([]byte(text)); block != nil {
		k, err := x509.ParsePKIXPublicKey(block.Bytes)
		if key, ok := k.(ed25519.PublicKey); err == nil && ok {
			return key, nil
		}
	} else if raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text)); err == nil && len(raw) == ed25519.PublicKeySize {
		return raw, nil
	}
	return nil, snag.Refuse("bad_key", "this is no public key: PEM as /api/key gives it, or 32 bytes in base64, was expected")
}

// Write writes it: the statement, an empty line, the key and the signature in base64.
func (s Signed) Write(w io.Writer) error {
	_, err := fmt.Fprintf(w, "%s\nkey ed25519 %s\nsignature %s\n", s.Statement, base64.StdEncoding.EncodeToString(s.Key), base64.StdEncoding.EncodeToString(s.Signature))
	return err
}

func noStatement(why string) error {
	return snag.Refuse("bad_statement", "this is no signed proof: %s", why)
}

// Read reads what Write wrote. It does not look whether the signature holds.
func Read(r io.Reader) (s Signed, err error) {
	text, err := io.ReadAll(io.LimitReader(r, mostBytes+1))
	if err != nil {
		return s, err
	}
	if len(text) > mostBytes {
		return s, noStatement(fmt.Sprintf("it has more than %d bytes", mostBytes))
	}
	text = bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")) // as a mail may make it
	if !bytes.HasPrefix(text, []byte(first+"\n")) {
		return s, noStatement(fmt.Sprintf("it does not begin with %q", first))
	}
	statement, rest, found := bytes.Cut(text, []byte("\n\n"))
	if !found {
		return s, noStatement("no empty line ends it")
	}
	s.Statement = string(statement) + "\n"
	for l := range strings.Lines(string(rest)) {
		l = strings.TrimSpace(l)
		var into *[]byte
		value, key := strings.CutPrefix(l, "key ed25519 ")
		if into = (*[]byte)(&s.Key); !key {
			if value, found = strings.CutPrefix(l, "signature "); !found {
				continue
			}
			into = &s.Signature
		}
		if *into, err = base64.StdEncoding.DecodeString(value); err != nil {
			return s, noStatement("its key or signature is no base64")
		}
	}
	if len(s.Key) != ed25519.PublicKeySize || len(s.Signature) != ed25519.SignatureSize {
		return s, noStatement("it has no key, or no signature")
	}
	return s, nil
}

// File is one that a statement names.
type File struct {
	Name  string
	Bytes int64
	Hash  string // xxHash-64, 16 hexadecimal digits
}

// Files are those that a statement names.
func (s Signed) Files() (out []File, err error) {
	lines := bufio.NewScanner(strings.NewReader(s.Statement))
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		rest, ok := strings.CutPrefix(lines.Text(), "file ")
		if !ok {
			continue
		}
		quoted, err := strconv.QuotedPrefix(rest)
		if err != nil {
			return nil, noStatement("a name in it has no quotation marks")
		}
		f := File{}
		if f.Name, err = strconv.Unquote(quoted); err == nil {
			_, err = fmt.Sscanf(rest[len(quoted):], " bytes %d xxh64 %s", &f.Bytes, &f.Hash)
		}
		if err != nil {
			return nil, noStatement("a line of a file can't be read: " + rest)
		}
		out = append(out, f)
	}
	if err := lines.Err(); err != nil {
		return nil, noStatement(err.Error())
	}
	if len(out) == 0 {
		return nil, noStatement("it names no file")
	}
	return out, nil
}

// Passed reports whether it says that everything was as ordered.
func (s Signed) Passed() bool { return strings.Contains(s.Statement, "\nverdict as ordered\n") }
