package blockhash_test

import (
	"bytes"
	"crypto/rand"
	"errors"
	"io"
	mrand "math/rand/v2"
	"testing"

	"github.com/cespare/xxhash/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/blockhash"
)

func some(t *testing.T, n int) []byte {
	t.Helper()
	b := make([]byte, n)
	_, err := rand.Read(b)
	require.NoError(t, err)
	return b
}

// Sums are the same however the bytes came, and survive being kept.
func TestSums(t *testing.T) {
	for _, n := range []int{0, 1, blockhash.Size - 1, blockhash.Size, blockhash.Size + 1, 3*blockhash.Size + 17} {
		data := some(t, n)
		s, err := blockhash.Read(bytes.NewReader(data))
		require.NoError(t, err)
		assert.Equal(t, xxhash.Sum64(data), s.Whole)
		assert.EqualValues(t, n, s.Bytes)
		for i, h := range s.Of {
			assert.Equal(t, xxhash.Sum64(data[i*blockhash.Size:min(n, (i+1)*blockhash.Size)]), h)
		}
		b := blockhash.NewBuilder()
		for rest := data; len(rest) > 0; {
			k := min(len(rest), 1+mrand.IntN(100_000))
			_, err := b.Write(rest[:k])
			require.NoError(t, err)
			rest = rest[k:]
		}
		assert.Equal(t, s, b.Sums())
		again, err := blockhash.Decode(s.Encode())
		require.NoError(t, err)
		assert.Equal(t, s, again)
	}
}

func TestWhatIsNoSums(t *testing.T) {
	good, err := blockhash.Read(bytes.NewReader(some(t, blockhash.Size+5)))
	require.NoError(t, err)
	kept := good.Encode()
	for name, p := range map[string][]byte{
		"nothing": nil, "half": kept[:len(kept)-3], "a block too few": kept[:len(kept)-8], "a block too many": append(bytes.Clone(kept), make([]byte, 8)...),
		"another form": append([]byte{9}, kept[1:]...),
	} {
		_, err := blockhash.Decode(p)
		assert.Error(t, err, name)
	}
}

// counting counts the bytes that are read beneath.
type counting struct {
	r    io.ReaderAt
	read int
}

func (c *counting) ReadAt(p []byte, off int64) (int, error) {
	n, err := c.r.ReadAt(p, off)
	c.read += n
	return n, err
}

// Whatever is read is what a plain reader gives, a file read in order is read once, and a span costs a span.
func TestReading(t *testing.T) {
	data := some(t, 5*blockhash.Size+1234)
	sums, err := blockhash.Read(bytes.NewReader(data))
	require.NoError(t, err)
	r := blockhash.NewReader(bytes.NewReader(data), sums)
	for range 2000 {
		off, n := mrand.IntN(len(data)+10), mrand.IntN(2*blockhash.Size)
		got, want := make([]byte, n), make([]byte, n)
		gn, gerr := r.ReadAt(got, int64(off))
		wn, werr := bytes.NewReader(data).ReadAt(want, int64(off))
		require.Equal(t, wn, gn)
		require.Equal(t, werr, gerr)
		require.Equal(t, want, got)
	}
	c := &counting{r: bytes.NewReader(data)}
	got, err := io.ReadAll(io.NewSectionReader(blockhash.NewReader(c, sums), 44, 1<<40))
	require.NoError(t, err)
	assert.Equal(t, data[44:], got)
	assert.Equal(t, len(data), c.read, "every block once")
	c = &counting{r: bytes.NewReader(data)}
	_, err = blockhash.NewReader(c, sums).ReadAt(make([]byte, 100), 3*blockhash.Size-50)
	require.NoError(t, err)
	assert.Equal(t, 2*blockhash.Size, c.read)
	_, err = r.ReadAt(make([]byte, 1), -1)
	assert.Error(t, err)
}

// A bit that differs anywhere is found by whoever reads its block, and by nobody else; none of the block is given.
func TestABitDiffers(t *testing.T) {
	data := some(t, 4*blockhash.Size+99)
	sums, err := blockhash.Read(bytes.NewReader(data))
	require.NoError(t, err)
	for range 50 {
		at := mrand.IntN(len(data))
		bad := bytes.Clone(data)
		bad[at] ^= 1 << mrand.IntN(8)
		r := blockhash.NewReader(bytes.NewReader(bad), sums)
		n, err := r.ReadAt(make([]byte, len(data)), 0)
		var d *blockhash.Differs
		require.ErrorAs(t, err, &d)
		assert.EqualValues(t, at/blockhash.Size, d.Block)
		assert.LessOrEqual(t, d.From, int64(at))
		assert.Greater(t, d.To, int64(at))
		assert.EqualValues(t, d.From, n)
		assert.Equal(t, d, r.Failed())
		other := (at/blockhash.Size + 1) % len(sums.Of)
		_, err = r.ReadAt(make([]byte, 10), int64(other)*blockhash.Size)
		assert.NoError(t, err)
	}
	r := blockhash.NewReader(bytes.NewReader(data[:len(data)-1]), sums)
	_, err = r.ReadAt(make([]byte, 9), int64(len(data)-99))
	assert.ErrorContains(t, err, "ends before")
	broken := errors.New("a disk that is broken")
	_, err = blockhash.NewReader(failing{broken}, sums).ReadAt(make([]byte, 9), 0)
	assert.ErrorIs(t, err, broken)
}

type failing struct{ err error }

func (f failing) ReadAt([]byte, int64) (int, error) { return 0, f.err }
