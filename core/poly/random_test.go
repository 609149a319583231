package poly_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/source"
	"zestyloom/core/take"
	"zestyloom/core/wave"
	"zestyloom/internal/testmedia"
)

// randomFile is a multichannel file put together by hand, apart from the writer under test, and what it says.
type randomFile struct {
	path     string
	coding   audio.Coding
	channels int
	frames   int
	samples  []byte // little-endian, interleaved
	labels   []string
	start    int64
	chunks   map[string][]byte // that must survive every rewriting
	bound    []string          // that speak of all channels
	vendor   []string          // what must be found in iXML, one a channel; empty for none
	unkept   string            // what a WAV has no place for
	mine     string            // an element of the recorder's in iXML
}

var oddNames = []string{"Boom", "Lav Ines", "MixL", "MixR", "Lav/Odell: \"2\"", "ünïcode 麦", "a&b <c>", "Lav", "Lav", "  padded  ", "=1+1", "x=y", "TRK1=no", "R", "L", "a+b", "very long " + strings.Repeat("n", 90)}

func one[T any](r *rand.Rand, of ...T) T { return of[r.IntN(len(of))] }

func shuffledOrNot(r *rand.Rand, n int) []int {
	if r.IntN(2) == 0 {
		return r.Perm(n)
	}
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}

// make writes a random file into dir.
func makeRandom(t *testing.T, r *rand.Rand, dir string, n int) *randomFile {
	t.Helper()
	f := &randomFile{start: -1, chunks: map[string][]byte{}}
	f.channels = one(r, 2, 2, 3, 4, 5, 6, 8, 8, 2+r.IntN(63))
	f.frames = r.IntN(300)
	container := one(r, "RIFF", "RIFF", "RIFF", "RF64", "BW64", "W64", "AIFF", "AIFC", "AU", "CAF")
	f.coding = one(r, audio.S16, audio.S24, audio.S24, audio.S32, audio.F32, audio.F64, audio.U8)
	if container == "AIFF" && f.coding.Float() {
		container = "AIFC"
	}
	f.samples = make([]byte, f.frames*f.channels*f.coding.Bytes())
	for i := range f.samples {
		f.samples[i] = byte(r.Uint32())
	}
	f.labels = make([]string, f.channels)
	var metadata [][2]string // chunks
	if says := container != "AU" && container != "CAF" && r.IntN(5) > 0; says {
		metadata = f.say(r, container)
	}
	f.path = filepath.Join(dir, fmt.Sprintf("file%d%s.wav", n, one(r, "", " take", "_21A", ".x")))
	require.NoError(t, os.WriteFile(f.path, f.file(r, container, metadata), 0o600))
	return f
}

// say makes up iXML and bext, and puts what a reader must find into f.
func (f *randomFile) say(r *rand.Rand, container string) (chunks [][2]string) {
	numbers := shuffledOrNot(r, f.channels) // of the recorder's tracks, from 0
	for i := range numbers {
		numbers[i] += 1 + r.IntN(2)*f.channels
	}
	named := make([]bool, f.channels)
	var x strings.Builder
	x.WriteString("<?xml version=\"1.0\"?><!-- of a recorder --><BWFXML><IXML_VERSION>1.61</IXML_VERSION>")
	f.mine = fmt.Sprintf("<MAKER:GAIN x=\"%d\">%d</MAKER:GAIN>", r.IntN(9), r.IntN(99))
	x.WriteString(f.mine)
	f.vendor = make([]string, f.channels)
	list := r.IntN(6) > 0
	used := map[int]bool{}
	if list {
		x.WriteString("<TRACK_LIST><TRACK_COUNT>0</TRACK_COUNT>")
		for _, c := range shuffledOrNot(r, f.channels) {
			label := ""
			if r.IntN(4) > 0 {
				label = one(r, oddNames...)
			}
			f.labels[c], named[c] = strings.TrimSpace(label), label != ""
			index := ""
			if !used[numbers[c]] && r.IntN(8) > 0 {
				index = fmt.Sprintf("<CHANNEL_INDEX>%d</CHANNEL_INDEX>", numbers[c])
				used[numbers[c]] = true
			}
			if r.IntN(2) == 0 {
				f.vendor[c] = fmt.Sprintf("<FUNCTION>F%d</FUNCTION>", r.IntN(1000))
				if r.IntN(2) == 0 {
					f.vendor[c] = fmt.Sprintf("<COLOUR>%d</COLOUR>", r.IntN(1000))
				}
			}
			var esc bytes.Buffer
			escapeXML(&esc, label)
			fmt.Fprintf(&x, "<TRACK>%s<INTERLEAVE_INDEX>%d</INTERLEAVE_INDEX><NAME>%s</NAME>%s</TRACK>", index, c+1, esc.String(), f.vendor[c])
		}
		x.WriteString("</TRACK_LIST>")
	}
	x.WriteString("</BWFXML>")
	if r.IntN(4) > 0 {
		chunks = append(chunks, [2]string{"iXML", x.String() + strings.Repeat("\x00", r.IntN(3))})
	} else {
		list, f.mine, f.vendor = false, "", nil
		for c := range f.labels {
			f.labels[c], named[c] = "", false
		}
	}
	if r.IntN(4) > 0 {
		f.start = r.Int64N(86400 * 48000)
		b := wave.Bext{Originator: "R", TimeReference: uint64(f.start), Version: 1}
		if r.IntN(2) == 0 {
			b.UMID[3] = 7
		}
		var d []string
		switch {
		case list && r.IntN(2) == 0: // lines as the list numbers its tracks
			for c := range f.labels {
				if named[c] && used[numbers[c]] {
					d = append(d, fmt.Sprintf("sTRK%d=%s", numbers[c], f.labels[c]))
				}
			}
			if !f.distinctNumbers(numbers, used, named) {
				d = nil
			}
		case !list && f.channels <= 6: // lines alone
			for c := range f.labels {
				f.labels[c] = one(r, "Boom", "Lav", "A")
				d = append(d, fmt.Sprintf("sTRK%d=%s", c+1, f.labels[c]))
			}
		}
		if b.Description = strings.Join(d, "\r\n"); len(b.Description) > 256 {
			b.Description = ""
		}
		chunks = append(chunks, [2]string{"bext", string(b.Marshal())})
	}
	if !strings.HasPrefix(container, "AI") {
		for _, id := range []string{"cue ", "LIST", "zest", "axml", "chna", "PEAK"} {
			if r.IntN(3) == 0 {
				data := make([]byte, 1+r.IntN(30))
				for i := range data {
					data[i] = byte(r.Uint32())
				}
				chunks = append(chunks, [2]string{id, string(data)})
				if id == "axml" || id == "chna" || id == "PEAK" {
					f.bound = append(f.bound, id)
				} else {
					f.chunks[id] = data
				}
			}
		}
	}
	return chunks
}

// distinctNumbers reports whether every named track has a number of its own: only then do lines name each once.
func (f *randomFile) distinctNumbers(numbers []int, used map[int]bool, named []bool) bool {
	seen := map[int]bool{}
	for c, n := range numbers {
		if named[c] && used[n] {
			if seen[n] {
				return false
			}
			seen[n] = true
		}
	}
	return true
}

func escapeXML(b *bytes.Buffer, s string) {
	b.WriteString(strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(s))
}

// file puts the bytes together.
func (f *randomFile) file(r *rand.Rand, container string, metadata [][2]string) []byte {
	le, be := binary.LittleEndian, binary.BigEndian
	size, raw := f.coding.Bytes(), append([]byte{}, f.samples...)
	swapped := func() {
		for i := 0; i < len(raw); i += size {
			for a, b := i, i+size-1; a < b; a, b = a+1, b-1 {
				raw[a], raw[b] = raw[b], raw[a]
			}
			if size == 1 {
				raw[i] ^= 0x80
			}
		}
	}
	var b bytes.Buffer
	switch container {
	case "AU":
		swapped()
		b.WriteString(".snd")
		code := map[audio.Coding]uint32{audio.U8: 2, audio.S16: 3, audio.S24: 4, audio.S32: 5, audio.F32: 6, audio.F64: 7}[f.coding]
		for _, v := range []uint32{28, uint32(len(raw)), code, 48000, uint32(f.channels), 0} {
			_ = binary.Write(&b, be, v)
		}
		b.Write(raw)
	case "CAF":
		flags := uint32(0)
		if f.coding.Float() {
			flags = 1
		}
		if f.coding != audio.U8 && r.IntN(2) == 0 {
			flags |= 2
		} else {
			swapped()
		}
		b.WriteString("caff\x00\x01\x00\x00desc")
		_ = binary.Write(&b, be, int64(32))
		_ = binary.Write(&b, be, math.Float64bits(48000))
		b.WriteString("lpcm")
		for _, v := range []uint32{flags, uint32(f.channels * size), 1, uint32(f.channels), uint32(8 * size)} {
			_ = binary.Write(&b, be, v)
		}
		b.WriteString("data")
		_ = binary.Write(&b, be, one(r, int64(-1), int64(len(raw)+4)))
		b.Write([]byte{0, 0, 0, 0})
		b.Write(raw)
	case "AIFF", "AIFC":
		swapped()
		b.WriteString("FORM\x00\x00\x00\x00" + container)
		chunk := func(id string, data []byte) {
			b.WriteString(id)
			_ = binary.Write(&b, be, uint32(len(data)))
			b.Write(data)
			if len(data)%2 == 1 {
				b.WriteByte(0)
			}
		}
		comm := be.AppendUint16(nil, uint16(f.channels))
		comm = be.AppendUint32(comm, uint32(f.frames))
		comm = be.AppendUint16(comm, uint16(8*size))
		comm = append(comm, 0x40, 0x0E, 0xBB, 0x80, 0, 0, 0, 0, 0, 0) // 48000
		if container == "AIFC" {
			comm = append(comm, map[audio.Coding]string{audio.F32: "fl32", audio.F64: "fl64"}[f.coding]...)
			if !f.coding.Float() {
				comm = append(comm, "NONE"...)
			}
			comm = append(comm, 0, 0)
		}
		if r.IntN(3) == 0 {
			metadata = append(metadata, [2]string{"ANNO", "written by hand"})
			f.unkept = "ANNO"
		}
		pieces := append([][2]string{{"COMM", string(comm)}, {"SSND", "\x00\x00\x00\x00\x00\x00\x00\x00" + string(raw)}}, metadata...)
		for _, i := range shuffledOrNot(r, len(pieces)) {
			chunk(pieces[i][0], []byte(pieces[i][1]))
		}
		be.PutUint32(b.Bytes()[4:], uint32(b.Len()-8))
	default:
		tag := uint16(1)
		if f.coding.Float() {
			tag = 3
		}
		form := le.AppendUint16(nil, tag)
		form = le.AppendUint16(form, uint16(f.channels))
		form = le.AppendUint32(form, 48000)
		form = le.AppendUint32(form, uint32(48000*f.channels*size))
		form = le.AppendUint16(form, uint16(f.channels*size))
		form = le.AppendUint16(form, uint16(8*size))
		pieces := append([][2]string{{"fmt ", string(form)}, {"data", string(raw)}}, metadata...)
		order := shuffledOrNot(r, len(pieces))
		if container == "W64" {
			tail := []byte{0xF3, 0xAC, 0xD3, 0x11, 0x8C, 0xD1, 0x00, 0xC0, 0x4F, 0x8E, 0xDB, 0x8A}
			b.WriteString("riff")
			b.Write([]byte{0x2E, 0x91, 0xCF, 0x11, 0xA5, 0xD6, 0x28, 0xDB, 0x04, 0xC1, 0, 0})
			b.Write(make([]byte, 8))
			b.WriteString("wave")
			b.Write(tail)
			for _, i := range order {
				b.WriteString(pieces[i][0])
				b.Write(tail)
				_ = binary.Write(&b, le, uint64(24+len(pieces[i][1])))
				b.WriteString(pieces[i][1])
				for b.Len()%8 != 0 {
					b.WriteByte(0)
				}
			}
			le.PutUint64(b.Bytes()[16:], uint64(b.Len()))
			break
		}
		b.WriteString(container + "\xFF\xFF\xFF\xFFWAVE")
		if container != "RIFF" {
			ds := le.AppendUint64(nil, 0)
			ds = le.AppendUint64(ds, uint64(len(raw)))
			ds = le.AppendUint64(ds, uint64(f.frames))
			ds = le.AppendUint32(ds, 0)
			b.WriteString("ds64")
			_ = binary.Write(&b, le, uint32(28))
			b.Write(ds)
		}
		for _, i := range order {
			id, data := pieces[i][0], pieces[i][1]
			b.WriteString(id)
			n := uint32(len(data))
			if id == "data" && container != "RIFF" {
				n = 0xFFFFFFFF
			}
			_ = binary.Write(&b, le, n)
			b.WriteString(data)
			if len(data)%2 == 1 {
				b.WriteByte(0)
			}
		}
		if container == "RIFF" {
			le.PutUint32(b.Bytes()[4:], uint32(b.Len()-8))
		}
	}
	return b.Bytes()
}

// check compares a file that was made with what it must hold: the given channels of f, from 0.
func (f *randomFile) check(t *testing.T, path string, channels []int, label func(c int) string, whole bool) *source.Source {
	t.Helper()
	s, err := source.Open(path)
	require.NoError(t, err, path)
	defer s.Close()
	require.Equal(t, []any{len(channels), f.coding, int64(f.frames)}, []any{s.Format.Channels, s.Format.Coding, s.Frames}, path)
	size := f.coding.Bytes()
	if f.frames > 0 {
		raw := make([]byte, f.frames*len(channels)*size)
		n, err := s.ReadFrames(raw, 0)
		require.NoError(t, err)
		require.Equal(t, f.frames, n)
		for i := range f.frames {
			for k, c := range channels {
				if !bytes.Equal(raw[(i*len(channels)+k)*size:][:size], f.samples[(i*f.channels+c)*size:][:size]) {
					t.Fatalf("%s: channel %d is not channel %d of %s at frame %d", path, k+1, c+1, f.path, i)
				}
			}
		}
	}
	facts := s.Gather(filepath.Base(path))
	require.Equal(t, f.start, facts.Start, path)
	for k, c := range channels {
		require.Equal(t, label(c), facts.Tracks[k].Label, "%s: channel %d, from %d of %s", path, k+1, c+1, f.path)
	}
	have := map[string][]byte{}
	for _, x := range s.Extra {
		have[x.ID] = x.Data
	}
	for id, data := range f.chunks {
		require.Equal(t, data, have[id], "%s: the %q chunk", path, id)
	}
	if whole {
		for _, id := range f.bound {
			require.Contains(t, have, id, path)
		}
	}
	if f.mine != "" {
		x := string(s.IXML.Marshal())
		require.Contains(t, x, f.mine, path)
		require.Contains(t, x, "<!-- of a recorder -->", path)
		for _, c := range channels {
			require.Contains(t, x, f.vendor[c], path)
		}
	}
	return s
}

// Any multichannel file, split, joined, gathered and labelled: every byte of sound, every name and every start is
// where it was, and what can't be carried on is said.
func TestRandomFilesSurvive(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	if s := os.Getenv("SEED"); s != "" {
		_, err := fmt.Sscan(s, &seed)
		require.NoError(t, err)
	}
	t.Logf("SEED=%d", seed)
	dir, err := os.MkdirTemp("/dev/shm", "zestyloom-") // what is tried is not the disk
	if err != nil {
		dir = t.TempDir()
	}
	defer os.RemoveAll(dir)
	files := testmedia.Sized(150, 1000)
	for n := range files {
		r := rand.New(rand.NewPCG(seed, uint64(n)))
		here := filepath.Join(dir, fmt.Sprint(n))
		require.NoError(t, os.Mkdir(here, 0o755))
		f := makeRandom(t, r, here, n)
		f.survive(t, r, here, fmt.Sprintf("SEED=%d file %d", seed, n))
		if t.Failed() {
			return
		}
		require.NoError(t, os.RemoveAll(here))
	}
}

func (f *randomFile) survive(t *testing.T, r *rand.Rand, dir, which string) {
	t.Helper()
	defer func() {
		if t.Failed() {
			t.Log(which)
		}
	}()
	all := make([]int, f.channels)
	for c := range all {
		all[c] = c
	}
	own := func(c int) string { return f.labels[c] }
	f.check(t, f.path, all, own, true)

	// Apart, some channels as pairs, whichever.
	o := poly.SplitOptions{Dir: filepath.Join(dir, "parts")}
	if r.IntN(2) == 0 {
		perm := r.Perm(f.channels)
		pair := []int{perm[0] + 1, perm[1] + 1}
		o.Pairs = fmt.Sprintf("%d-%d", pair[0], pair[1])
	}
	p, err := poly.PlanSplit(f.path, o)
	require.NoError(t, err)
	defer p.Close()
	require.NoError(t, p.Run(t.Context(), nil))
	said := fmt.Sprint(p.Snags)
	if o.Pairs != "1-2" || f.channels != 2 {
		for _, id := range f.bound {
			require.Contains(t, said, id, "what is left out is said")
		}
	}
	var paths []string
	for _, part := range p.Parts {
		channels := make([]int, len(part.Channels))
		for i, c := range part.Channels {
			channels[i] = c - 1
		}
		f.check(t, part.Path, channels, own, false)
		paths = append(paths, part.Path)
	}

	// Together again, in whatever order they are named.
	r.Shuffle(len(paths), func(i, j int) { paths[i], paths[j] = paths[j], paths[i] })
	out := filepath.Join(dir, "joined.wav")
	j, err := poly.PlanJoin(paths, poly.JoinOptions{Out: out})
	require.NoError(t, err)
	require.NoError(t, j.Run(t.Context(), nil))
	require.NoError(t, j.Close())
	f.check(t, out, all, own, false)

	// Gathered, where all are mono files.
	if o.Pairs == "" {
		var set []take.File
		for _, path := range paths {
			s, err := source.Open(path)
			require.NoError(t, err)
			set = append(set, take.File{Key: path, Name: filepath.Base(path), Folder: filepath.Dir(path), Channels: 1, SampleRate: 48000, Frames: s.Frames, Facts: s.Gather(filepath.Base(path))})
			s.Close()
		}
		groups := take.Groups(set)
		require.Len(t, groups, 1)
		require.True(t, groups[0].Certain, "%+v", groups[0].Snags)
		g := poly.Out{Path: filepath.Join(dir, "gathered.wav")}
		facts := groups[0].Members[0].Facts
		for _, m := range groups[0].Members {
			facts.Fill(m.Facts)
			g.Strands = append(g.Strands, poly.Strand{Path: m.Key, Channel: 1, Label: m.Facts.Tracks[0].Label, Track: m.Facts.Tracks[0].RecorderTrack})
		}
		_, err := poly.Write(t.Context(), []poly.Out{g}, poly.Said{Facts: facts, Bare: facts.Start < 0}, poly.WriteOptions{}, nil)
		require.NoError(t, err)
		f.check(t, g.Path, all, own, false)
	}

	// Labelled anew in one place; nothing else changes.
	s, err := source.Open(f.path)
	require.NoError(t, err)
	facts := s.Gather(filepath.Base(f.path))
	s.Close()
	renamed := r.IntN(f.channels)
	l := poly.Out{Path: filepath.Join(dir, "labelled.wav")}
	for c, tr := range facts.Tracks {
		label := tr.Label
		if c == renamed {
			label = "Plant"
		}
		l.Strands = append(l.Strands, poly.Strand{Path: f.path, Channel: c + 1, Label: label, Track: tr.RecorderTrack})
	}
	w, err := poly.Write(t.Context(), []poly.Out{l}, poly.Said{Facts: facts}, poly.WriteOptions{}, nil)
	require.NoError(t, err)
	if f.unkept == "" {
		require.Empty(t, w.Snags)
	} else {
		require.Contains(t, fmt.Sprint(w.Snags, p.Snags), f.unkept)
	}
	f.check(t, l.Path, all, func(c int) string {
		if c == renamed {
			return "Plant"
		}
		return f.labels[c]
	}, true)
}
