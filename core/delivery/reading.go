package delivery

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
)

// reading is a sound file that is being compared, or a stream of a file with streams.
type reading struct {
	index        int // of the plan's files
	fp           *FileProof
	first, count int // channels of the plan's file
	src          *source.Source
	decoded      bool // it is a stream, which lies in a file of its own meanwhile
	lossy        bool
	coding       audio.Coding
	levels       []audio.Level
	inside       []audio.Level // of programme alone, where that is asked for
	hashes       channelHashes
	alike        []likeness
	got, one     []byte
	read0        int    // bytes of got that were read
	want         []byte // of these channels
	differs      bool   // by what its header says: there is nothing to compare channel by channel
	x, y         []float64
	bext         *wave.Bext
}

// likeness is what compressed sound has in common with what was ordered.
type likeness struct{ xx, yy, xy float64 }

// open looks at a file, and gives nothing for one that can't be read, of which it says so.
func (p Plan) open(ctx context.Context, i int, fp *FileProof, path, tmp, with string) ([]*reading, error) {
	f := p.Files[i]
	st, err := os.Stat(path)
	if err != nil {
		fp.check("file", "there", "missing")
		return nil, nil
	}
	fp.Bytes = st.Size()
	for c, ch := range f.Channels {
		fp.Channels = append(fp.Channels, ChannelProof{Channel: c + 1, Output: ch.Output + 1, Name: ch.Name, FirstAt: -1})
	}
	if Containers[f.Container].Picture {
		return p.openStreams(ctx, i, fp, path, tmp, with)
	}
	src, err := source.Open(path)
	if err != nil {
		fp.check("readable", "yes", snag.Of(err).Message)
		fp.Channels = []ChannelProof{}
		return nil, nil
	}
	fp.facts(p, f, src)
	r := newReading(i, fp, src, 0, len(f.Channels))
	r.bext = src.Bext
	r.differs = src.Format.Channels != len(f.Channels) || src.Format.Coding != f.coding() // said by the checks
	return []*reading{r}, nil
}

func newReading(i int, fp *FileProof, src *source.Source, first, count int) *reading {
	return &reading{
		index: i, fp: fp, src: src, first: first, count: count, coding: src.Format.Coding,
		levels: make([]audio.Level, count), inside: make([]audio.Level, count), alike: make([]likeness, count), hashes: newHashes(count),
	}
}

// openStreams looks at a file with streams, and decodes each.
func (p Plan) openStreams(ctx context.Context, i int, fp *FileProof, path, tmp, with string) (out []*reading, err error) {
	f := p.Files[i]
	if err := fp.hash(path); err != nil {
		return nil, err
	}
	info, err := picture.Probe(ctx, path)
	if err != nil {
		fp.check("readable", "yes", snag.Of(err).Message)
		fp.Channels = []ChannelProof{}
		return nil, nil
	}
	fp.container(f, info.Container)
	var widths []int
	streams := streamsOf(f.Groups)
	for _, st := range streams {
		widths = append(widths, st.count)
	}
	fp.check("sound streams", groupsSay(widths), groupsSay(info.Groups()))
	start := p.startSays(p.Start)
	if p.Pictures(f) { // it begins with a frame, which may be laid within one of the timecode
		start = p.startSays(p.Rate.SampleAt(p.Rate.FrameAt(p.Start, int64(p.Rates.Files)), int64(p.Rates.Files)))
	}
	found := "none"
	if at, _, ok := info.Start(p.Rates.Files); ok {
		found = p.startSays(at)
	}
	if p.Pictures(f) || Containers[f.Container].Starts {
		fp.check("start", start, found)
	}
	if p.Pictures(f) {
		if err := fp.picture(ctx, p, path, with, info); err != nil {
			return nil, err
		}
		if err := fp.headset(p, f, path, with); err != nil {
			return nil, err
		}
	}
	if !slices.Equal(widths, info.Groups()) || len(widths) == 0 {
		return nil, nil
	}
	// Each file's streams have a folder of their own: they are named alike.
	if tmp, err = os.MkdirTemp(tmp, "streams-*"); err != nil {
		return nil, err
	}
	paths, err := info.Streams(ctx, path, tmp)
	if err != nil {
		fp.check("readable", "yes", snag.Of(err).Message)
		return nil, nil
	}
	for n, part := range paths {
		src, err := source.Open(part)
		if err != nil {
			return out, err
		}
		s := info.Sound[n]
		r := newReading(i, fp, src, streams[n].first, streams[n].count)
		r.decoded, r.lossy = true, s.Lossy
		out = append(out, r)
		if f.Coding == "aac" {
			fp.check(fmt.Sprintf("coding of stream %d", n+1), "aac", s.Codec)
		} else {
			fp.check(fmt.Sprintf("coding of stream %d", n+1), f.coding(), src.Format.Coding)
			fp.check(fmt.Sprintf("length of stream %d in frames", n+1), p.Frames, src.Frames)
			r.differs = src.Format.Coding != f.coding()
		}
		fp.check(fmt.Sprintf("sample rate of stream %d", n+1), p.Rates.Files, src.Format.SampleRate)
		if Containers[f.Container].Titles {
			fp.check(fmt.Sprintf("name of stream %d", n+1), streams[n].name, s.Title)
		}
		if Containers[f.Container].Fields {
			fp.check(fmt.Sprintf("mark of stream %d as a sound field", n+1), fieldSays(streams[n].field), fieldSays(s.Field))
		}
	}
	if Containers[f.Container].Titles {
		names := make([]string, len(streams))
		for n, st := range streams {
			names[n] = st.name
		}
		found, err := picture.SoundNames(path)
		if err != nil {
			return nil, err
		}
		fp.check("names of the streams, by our own parser", strings.Join(names, " | "), strings.Join(found, " | "))
	}
	return out, nil
}

// groupsSay writes widths of streams as they are ordered: 2+1+1+2.
func groupsSay(widths []int) string {
	if len(widths) == 0 {
		return "none"
	}
	var out []string
	for _, w := range widths {
		out = append(out, fmt.Sprint(w))
	}
	return strings.Join(out, "+")
}

func (fp *FileProof) container(f File, found string) {
	names := Containers[f.Container].Names
	asked := names[0]
	if slices.Contains(names, found) {
		asked = found
	}
	fp.check("container", asked, found)
}

func (p Plan) startSays(start int64) string {
	if start < 0 {
		return "none"
	}
	return fmt.Sprintf("%s (sample %d)", p.Rate.FormatSamples(start, int64(p.Rates.Files)), start)
}

// facts compares what a sound file's header and metadata say.
func (fp *FileProof) facts(p Plan, f File, src *source.Source) {
	facts := src.Gather("")
	fp.container(f, src.Container)
	fp.check("channels", len(f.Channels), src.Format.Channels)
	fp.check("sample rate", p.Rates.Files, src.Format.SampleRate)
	fp.check("coding", f.coding(), src.Format.Coding)
	fp.check("length in frames", p.Frames, src.Frames)
	o := p.Options(f)
	if Containers[f.Container].Bare {
		o.Bext, o.IXML = nil, nil
	}
	if o.Bext != nil || o.IXML != nil {
		fp.check("start", p.startSays(p.Start), p.startSays(facts.Start))
		for c, ch := range f.Channels {
			found := "missing"
			if c < len(facts.Tracks) {
				found = facts.Tracks[c].Label
			}
			fp.check(fmt.Sprintf("name of channel %d", c+1), ch.Name, found)
		}
	}
	if p.Order.Spec.Metadata.Mask && Containers[f.Container].Mask {
		fp.check("channel mask", fmt.Sprintf("%#x", o.Format.Mask), fmt.Sprintf("%#x", src.Format.Mask))
	}
	fp.described(p, f, src)
	fp.check("snags on reading", 0, len(facts.Snags))
}

// take reads a block: its levels, and the hashes of its channels.
func (r *reading) take(at int64, n int) error {
	size := r.coding.Bytes()
	width := size * r.count
	if len(r.got) < n*width {
		r.got = make([]byte, n*width)
	}
	k, err := readFull(r.src, r.got[:n*width], at)
	if err != nil {
		return err
	}
	r.read0 = k * width
	got := r.got[:r.read0]
	audio.AddLevels(r.levels, got, r.coding)
	if !r.lossy {
		r.hashes.add(got, size)
	}
	return nil
}

// sounding adds what of a block that was read is programme to the levels inside of it.
func (r *reading) sounding(p Plan, at int64, n int) {
	width := int64(r.coding.Bytes() * r.count)
	from := max(at, p.Lead) - at
	to := min(at+int64(n), p.programmeEnd(), at+int64(r.read0)/width) - at
	if from < to {
		audio.AddLevels(r.inside, r.got[from*width:to*width], r.coding)
	}
}

// read reads a block and compares it. want holds all channels of the file.
func (r *reading) read(p Plan, want []byte, at int64, n int) error {
	size := r.coding.Bytes()
	width := size * r.count
	r.read0 = 0
	if r.differs {
		return nil
	}
	if err := r.take(at, n); err != nil {
		return err
	}
	got := r.got[:r.read0]
	all := len(p.Files[r.index].Channels)
	if r.want = want; all != r.count {
		wide := p.Files[r.index].coding().Bytes()
		r.want = r.one[:0]
		for i := range n {
			r.want = append(r.want, want[(i*all+r.first)*wide:(i*all+r.first+r.count)*wide]...)
		}
		r.one = r.want
	}
	if r.lossy {
		r.likeness(p, n)
		return nil
	}
	for c := range r.count {
		r.fp.Channels[r.first+c].compare(r.want, got, at, size, c, width)
	}
	return nil
}

// likeness compares sound whose samples are others.
func (r *reading) likeness(p Plan, n int) {
	if len(r.x) < n || len(r.y) < n {
		r.x, r.y = make([]float64, n), make([]float64, n)
	}
	for c := range r.count {
		x, y := r.x[:n], r.y[:n]
		clear(y)
		audio.DecodeChannel(x, r.want, p.Files[r.index].coding(), r.count, c)
		audio.DecodeChannel(y[:r.read0/(r.coding.Bytes()*r.count)], r.got[:r.read0], r.coding, r.count, c)
		l := &r.alike[c]
		for i, v := range x {
			l.xx += v * v
			l.yy += y[i] * y[i]
			l.xy += v * y[i]
		}
	}
}

// leastAlike is how alike compressed sound has to be to what was ordered: at 0.99 what differs lies 17 dB under it, and sound
// that lies a few samples elsewhere, or is another, is far from that. Levels must agree within half a decibel.
const leastAlike = 0.99

// hashed has each sound file's hash taken of what run reads of it.
func hashed(readings []*reading, run func() error) func() error {
	for _, r := range readings {
		if r.decoded {
			continue
		}
		inner := run
		run = func() error {
			sums, err := r.src.Hash(inner)
			r.fp.Sums, r.fp.Hash = sums, sums.Hash()
			return err
		}
	}
	return run
}

// held reports whether what was read has other hashes than what was rendered, where those are known.
func (r *reading) held(hashes [][]uint64) (others bool) {
	if r.differs || r.lossy || r.index >= len(hashes) {
		return false
	}
	for c := range r.count {
		others = others || r.hashes.of[c].Sum64() != hashes[r.index][r.first+c]
	}
	return others
}

// finish says what was found of the channels, and of the loudness that the file says of itself.
func (r *reading) finish(p Plan, heard *listeners) {
	if r.bext != nil && p.Order.Spec.Metadata.Loudness && p.isWAV(r.index) {
		if v, ok := heard.only(r.index); ok {
			r.fp.check("loudness in the bext chunk", bextLoudness(v), r.bext.Loudness)
		}
	}
	if f := p.Files[r.index]; p.describes(f) && p.Order.Spec.Metadata.Loudness && !r.differs {
		r.fp.describedLoudness(p, f, heard.groups(r.index), r.src)
	}
	for c := range r.count {
		ch := &r.fp.Channels[r.first+c]
		if r.differs {
			continue
		}
		ch.PeakDBFS, ch.RMSDBFS = finite(r.levels[c].PeakDB()), finite(r.levels[c].RMSDB())
		if !r.lossy {
			ch.Hash = fmt.Sprintf("%016x", r.hashes.of[c].Sum64())
		}
	}
}

// end says what came of the comparison.
func (r *reading) end(p Plan) {
	for c := range r.count {
		ch := &r.fp.Channels[r.first+c]
		if r.differs {
			continue
		}
		if ch.OK = ch.Differs == 0; !r.lossy {
			continue
		}
		l := r.alike[c]
		alike, off := 1.0, 0.0
		if l.xx > 0 || l.yy > 1e-6 {
			alike = l.xy / math.Sqrt(max(l.xx*l.yy, 1e-300))
			off = 10 * math.Log10(max(l.yy, 1e-300)/max(l.xx, 1e-300))
		}
		ch.Alike = &alike
		ch.OK = alike >= leastAlike && math.Abs(off) <= 0.5
	}
}

func readFull(src *source.Source, p []byte, frame int64) (int, error) {
	size := src.Format.FrameBytes()
	done := 0
	for done*size < len(p) {
		n, err := src.ReadFrames(p[done*size:], frame+int64(done))
		done += n
		if errors.Is(err, io.EOF) {
			break // the missing rest is counted as different
		}
		if err != nil {
			return done, err
		}
	}
	return done, nil
}

// compare counts the samples of channel c that differ; samples of want that got lacks all do.
func (ch *ChannelProof) compare(want, got []byte, at int64, size, c, width int) {
	if bytes.Equal(want, got) {
		return
	}
	for i, p := int64(0), c*size; p+size <= len(want); i, p = i+1, p+width {
		if p+size > len(got) || !bytes.Equal(want[p:p+size], got[p:p+size]) {
			if ch.Differs == 0 {
				ch.FirstAt = at + i
			}
			ch.Differs++
		}
	}
}

func finite(db float64) *float64 {
	if math.IsInf(db, 0) || math.IsNaN(db) {
		return nil
	}
	r := math.Round(db*100) / 100
	return &r
}
