// Package mhl reads, checks and writes ASC MHL 2 hash lists: XML in the namespace urn:ASC:MHL:v2.0
// that names files and their hashes (American Society of Cinematographers, Media Hash List
// specification 2.0). Lists of earlier generations lie beside newer ones; the newest that names a
// file decides.
package mhl

import (
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha512"
	"encoding/hex"
	"encoding/xml"
	"errors"
	"fmt"
	"hash"
	"io"
	"math/big"
	"path"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"
	"github.com/zeebo/xxh3"

	"zestyloom/core/snag"
)

// Namespace is that of hash lists.
const Namespace = "urn:ASC:MHL:v2.0"

// List is a hash list.
type List struct {
	Created time.Time
	Tool    string
	Entries []Entry
}

// Entry is a file in a list.
type Entry struct {
	Path   string // from the list's root, with forward slashes
	Size   int64  // -1 when it doesn't say
	Hashes []Hash
}

// Hash is one hash of a file.
type Hash struct {
	Kind  string // md5, sha1, c4, xxh64, xxh3 or xxh128
	Value string // as it is written
}

const (
	maxBytes   = 256 << 20
	maxEntries = 2_000_000
)

type xmlHash struct {
	XMLName xml.Name
	Value   string `xml:",chardata"`
}

type xmlEntry struct {
	Path struct {
		Size  *int64 `xml:"size,attr"`
		Value string `xml:",chardata"`
	} `xml:"path"`
	Hashes []xmlHash `xml:",any"`
}

// Read reads a list. Entries whose paths leave its root are refused.
func Read(r io.Reader) (*List, error) {
	limited := &io.LimitedReader{R: r, N: maxBytes}
	d := xml.NewDecoder(limited)
	d.Strict = true
	d.CharsetReader = func(charset string, _ io.Reader) (io.Reader, error) {
		return nil, fmt.Errorf("the encoding %s is not read: hash lists are UTF-8", charset)
	}
	l := &List{}
	root := false
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) && root {
			return l, nil
		}
		if err != nil {
			if limited.N == 0 {
				err = fmt.Errorf("it is longer than %d MiB", maxBytes>>20)
			}
			return nil, snag.Refuse("bad_hash_list", "this is no ASC MHL hash list: %w", err)
		}
		e, ok := t.(xml.StartElement)
		if !ok {
			continue
		}
		switch {
		case !root:
			if e.Name.Local != "hashlist" || e.Name.Space != Namespace {
				return nil, snag.Refuse("bad_hash_list", "this is no ASC MHL hash list: it begins with <%s> of %q, not with <hashlist> of %q", e.Name.Local, e.Name.Space, Namespace)
			}
			root = true
		case e.Name.Local == "creationdate":
			var s string
			if err := d.DecodeElement(&s, &e); err == nil {
				l.Created, _ = time.Parse(time.RFC3339Nano, strings.TrimSpace(s))
			}
		case e.Name.Local == "tool":
			if err := d.DecodeElement(&l.Tool, &e); err != nil {
				return nil, snag.Refuse("bad_hash_list", "this is no ASC MHL hash list: %w", err)
			}
		case e.Name.Local == "hash":
			var x xmlEntry
			if err := d.DecodeElement(&x, &e); err != nil {
				return nil, snag.Refuse("bad_hash_list", "entry %d of the hash list is damaged: %w", len(l.Entries)+1, err)
			}
			entry := Entry{Path: strings.TrimSpace(x.Path.Value), Size: -1}
			if x.Path.Size != nil {
				entry.Size = *x.Path.Size
			}
			clean := path.Clean(entry.Path)
			if entry.Path == "" || path.IsAbs(clean) || clean == ".." || strings.HasPrefix(clean, "../") {
				return nil, snag.Refuse("bad_hash_list", "entry %d of the hash list names %q, which does not lie below its folder", len(l.Entries)+1, entry.Path)
			}
			entry.Path = clean
			for _, h := range x.Hashes {
				if New(h.XMLName.Local) != nil {
					entry.Hashes = append(entry.Hashes, Hash{h.XMLName.Local, strings.TrimSpace(h.Value)})
				}
			}
			if l.Entries = append(l.Entries, entry); len(l.Entries) > maxEntries {
				return nil, snag.Refuse("bad_hash_list", "the hash list names more than %d files", maxEntries)
			}
		}
	}
}

// Find finds a file by its path from the list's root.
func (l *List) Find(p string) (Entry, bool) {
	p = path.Clean(p)
	for _, e := range l.Entries {
		if e.Path == p {
			return e, true
		}
	}
	return Entry{}, false
}

// Named finds the files of a name, in whatever folders.
func (l *List) Named(name string) (out []Entry) {
	for _, e := range l.Entries {
		if path.Base(e.Path) == name {
			out = append(out, e)
		}
	}
	return out
}

// Hash returns the entry's hash of a kind, empty when it has none.
func (e Entry) Hash(kind string) string {
	for _, h := range e.Hashes {
		if h.Kind == kind {
			return h.Value
		}
	}
	return ""
}

// New makes a hash of a kind, nil for one that is not known.
func New(kind string) hash.Hash {
	switch kind {
	case "md5":
		return md5.New()
	case "sha1":
		return sha1.New()
	case "c4":
		return sha512.New()
	case "xxh64":
		return xxhash.New()
	case "xxh3":
		return xxh3.New()
	case "xxh128":
		return xxh128{xxh3.New()}
	}
	return nil
}

// xxh128 gives the long sum of the same hash.
type xxh128 struct{ *xxh3.Hasher }

func (x xxh128) Sum(b []byte) []byte {
	s := x.Sum128().Bytes()
	return append(b, s[:]...)
}

func (x xxh128) Size() int { return 16 }

// String writes a hash of a kind as lists write it: hexadecimal, or, for c4, 90 characters in base
// 58 (SMPTE ST 2114).
func String(kind string, h hash.Hash) string {
	sum := h.Sum(nil)
	if kind != "c4" {
		return hex.EncodeToString(sum)
	}
	const digits = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	n, base, rest := new(big.Int).SetBytes(sum), big.NewInt(58), new(big.Int)
	id := []byte("c4" + strings.Repeat("1", 88))
	for i := len(id) - 1; i >= 2 && n.Sign() > 0; i-- {
		n.DivMod(n, base, rest)
		id[i] = digits[rest.Int64()]
	}
	return string(id)
}

// Verify reads a file and compares it with all that its entry says. It returns nil when it is as
// listed, a *snag.Refusal when it is not; any other error is one of reading.
func (e Entry) Verify(r io.Reader) error {
	var writers []io.Writer
	hashes := make([]hash.Hash, len(e.Hashes))
	for i, h := range e.Hashes {
		hashes[i] = New(h.Kind)
		writers = append(writers, hashes[i])
	}
	n, err := io.Copy(io.MultiWriter(writers...), r)
	if err != nil {
		return err
	}
	if e.Size >= 0 && n != e.Size {
		return snag.Refuse("hash_list_differs", "the hash list says %d bytes and the file has %d: it is not what was listed; copy it again", e.Size, n)
	}
	for i, h := range e.Hashes {
		if got := String(h.Kind, hashes[i]); !same(h.Kind, h.Value, got) {
			return snag.Refuse("hash_list_differs", "the hash list gives %s %s and the file has %s: it is not what was listed; copy it again", h.Kind, h.Value, got)
		}
	}
	return nil
}

func same(kind, a, b string) bool {
	if kind == "c4" {
		return a == b
	}
	return strings.EqualFold(a, b)
}

// Write writes a list whose hashes are originals made at its creation.
func Write(w io.Writer, l List) error {
	date := l.Created.Format("2006-01-02T15:04:05.000000-07:00")
	var err error
	put := func(format string, args ...any) {
		if err == nil {
			_, err = fmt.Fprintf(w, format, args...)
		}
	}
	put("%s<hashlist version=\"2.0\" xmlns=\"%s\">\n  <creatorinfo>\n    <creationdate>%s</creationdate>\n    <tool version=\"1\">%s</tool>\n  </creatorinfo>\n  <processinfo>\n    <process>in-place</process>\n  </processinfo>\n  <hashes>\n",
		xml.Header, Namespace, date, escape(l.Tool))
	for _, e := range l.Entries {
		put("    <hash>\n      <path size=\"%d\">%s</path>\n", e.Size, escape(e.Path))
		for _, h := range e.Hashes {
			put("      <%s action=\"original\" hashdate=\"%s\">%s</%s>\n", h.Kind, date, escape(h.Value), h.Kind)
		}
		put("    </hash>\n")
	}
	put("  </hashes>\n</hashlist>\n")
	return err
}

func escape(s string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(s)) // a Builder never fails
	return b.String()
}
