package mhl_test

import (
	"bytes"
	"crypto/sha512"
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/mhl"
	"zestyloom/core/snag"
)

const list = `<?xml version="1.0" encoding="UTF-8"?>
<hashlist version="2.0" xmlns="urn:ASC:MHL:v2.0">
  <creatorinfo><creationdate>2026-03-14T22:10:05.000000+01:00</creationdate><tool version="0.3">a tool</tool></creatorinfo>
  <processinfo><process>in-place</process><ignore><pattern>.DS_Store</pattern></ignore></processinfo>
  <hashes>
    <hash><path size="3" lastmodificationdate="2026-03-14T22:10:05+01:00">A/one.wav</path>%s</hash>
    <directoryhash><path>A</path><content><xxh64>0</xxh64></content></directoryhash>
    <hash><path>two &amp; three.wav</path><md5 action="original">0</md5></hash>
  </hashes>
</hashlist>`

func TestReadAndVerify(t *testing.T) {
	// Hashes of "abc" as published with each algorithm.
	for kind, value := range map[string]string{
		"md5": "900150983cd24fb0d6963f7d28e17f72", "sha1": "a9993e364706816aba3e25717850c26c9cd0d89d",
		"xxh64": "44bc2cf5ad770999", "xxh3": "78af5f94892f3950", "xxh128": "06b05ab6733a618578af5f94892f3950",
	} {
		for _, v := range []string{value, strings.ToUpper(value)} {
			l, err := mhl.Read(strings.NewReader(fmt.Sprintf(list, "<"+kind+" action=\"original\">"+v+"</"+kind+">")))
			require.NoError(t, err)
			require.Len(t, l.Entries, 2)
			e, ok := l.Find("A/one.wav")
			require.True(t, ok)
			require.Len(t, e.Hashes, 1, kind)
			assert.NoError(t, e.Verify(strings.NewReader("abc")), kind)
			for _, other := range []string{"abd", "abcd", ""} {
				assert.Equal(t, "hash_list_differs", snag.Of(e.Verify(strings.NewReader(other))).Code, kind)
			}
		}
	}
	l, err := mhl.Read(strings.NewReader(fmt.Sprintf(list, "")))
	require.NoError(t, err)
	assert.Equal(t, "two & three.wav", l.Entries[1].Path)
	assert.EqualValues(t, -1, l.Entries[1].Size)
	assert.Equal(t, 2026, l.Created.Year())
}

func TestC4(t *testing.T) {
	h := mhl.New("c4")
	h.Write([]byte("alfa"))
	// Decoded back, the 88 digits are the SHA-512 of the input.
	id := mhl.String("c4", h)
	require.Len(t, id, 90)
	n := make([]int, 0, 64)
	digits := "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"
	acc := make([]byte, 64)
	for _, r := range id[2:] {
		carry := strings.IndexRune(digits, r)
		for i := 63; i >= 0; i-- {
			carry += int(acc[i]) * 58
			acc[i], carry = byte(carry), carry>>8
		}
		n = append(n, carry)
	}
	sum := sha512.Sum512([]byte("alfa"))
	assert.Equal(t, sum[:], acc)
	assert.Equal(t, make([]int, 88), n, "nothing overflows")
}

func TestWrittenListsAreReadBack(t *testing.T) {
	want := mhl.List{Created: time.Date(2026, 3, 14, 22, 10, 5, 0, time.UTC), Tool: "Zesty Loom", Entries: []mhl.Entry{
		{Path: "a/<b> & \"c\".wav", Size: 12, Hashes: []mhl.Hash{{Kind: "xxh64", Value: "44bc2cf5ad770999"}}},
		{Path: "Fähre.wav", Size: 0, Hashes: []mhl.Hash{{Kind: "xxh64", Value: "ef46db3751d8e999"}}},
	}}
	var b bytes.Buffer
	require.NoError(t, mhl.Write(&b, want))
	got, err := mhl.Read(bytes.NewReader(b.Bytes()))
	require.NoError(t, err)
	assert.True(t, want.Created.Equal(got.Created))
	assert.Equal(t, want.Entries, got.Entries)
	assert.NoError(t, got.Entries[1].Verify(strings.NewReader("")))
	if _, err := exec.LookPath("xmllint"); err == nil {
		cmd := exec.Command("xmllint", "--noout", "-")
		cmd.Stdin = &b
		assert.NoError(t, cmd.Run())
	}
}

func TestBadLists(t *testing.T) {
	for name, s := range map[string]string{
		"empty":       "",
		"not XML":     "hello",
		"another":     `<hashlist version="1.1"><hash/></hashlist>`,
		"outside":     strings.Replace(fmt.Sprintf(list, ""), "A/one.wav", "../../etc/passwd", 1),
		"absolute":    strings.Replace(fmt.Sprintf(list, ""), "A/one.wav", "/etc/passwd", 1),
		"cut short":   list[:300],
		"an entity":   strings.Replace(fmt.Sprintf(list, ""), "A/one.wav", "&boom;", 1),
		"no encoding": strings.Replace(fmt.Sprintf(list, ""), "UTF-8", "UTF-7", 1),
	} {
		_, err := mhl.Read(strings.NewReader(s))
		if assert.Error(t, err, name) {
			assert.Equal(t, "bad_hash_list", snag.Of(err).Code, name)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(fmt.Sprintf(list, "<xxh64>44bc2cf5ad770999</xxh64>")))
	f.Fuzz(func(t *testing.T, b []byte) {
		l, err := mhl.Read(bytes.NewReader(b))
		if err != nil {
			return
		}
		var out bytes.Buffer
		if err := mhl.Write(&out, *l); err != nil {
			t.Fatal(err)
		}
		again, err := mhl.Read(&out)
		if err != nil {
			t.Fatalf("what was written is not read: %v", err)
		}
		if len(again.Entries) != len(l.Entries) {
			t.Fatalf("%d entries became %d", len(l.Entries), len(again.Entries))
		}
	})
}
