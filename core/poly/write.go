package poly

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/blockhash"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
)

// Strand is one channel of a file on its way into another.
type Strand struct {
	Path    string `json:"path"`
	Channel int    `json:"channel"` // from 1
	Label   string `json:"label"`
	Track   int    `json:"track"` // the recorder's, 0 when not known
}

// Out is a file to be made of strands, in the order of its channels.
type Out struct {
	Path    string          `json:"path"`
	Strands []Strand        `json:"strands"`
	Order   []audio.Speaker `json:"order"` // where the channels are a layout's
	Mask    uint32          `json:"mask"`  // the speakers assigned where Order says nothing; 0 for none
}

// Said is what the files are to say of themselves: of their tracks each strand speaks.
type Said struct {
	Facts source.Facts `json:"facts"` // project, scene, take, roll, note, flags, start and rate
	Bare  bool         `json:"bare"`  // nothing is known: no metadata is written
}

// WriteOptions say what is allowed.
type WriteOptions struct {
	Force bool `json:"force"` // overwrite
	Pad   bool `json:"pad"`   // silence at the end of the shorter strands; they must be equally long otherwise
	// Shortest ends all with the shortest strand instead of padding.
	Shortest bool `json:"shortest"`
	// Leads is how many frames of silence come before a source's first, by its path; none where it isn't
	// named.
	Leads map[string]int64 `json:"leads"`
	// Opened are sources that are open already, by the paths that strands name; Write closes them.
	Opened map[string]*source.Source `json:"-"`
	// Known are sources that were read before, by their paths: what is read of them is compared with what they were.
	Known map[string]*source.Known `json:"-"`
}

// Written is what Write made.
type Written struct {
	Frames int64       // of every file
	Snags  []snag.Snag // what the sources say that the files could not carry on, or do not agree on
}

// writing is a set of open sources and what is made of them.
type writing struct {
	paths  []string
	srcs   []*source.Source
	leads  []int64     // frames of silence before each source
	format wave.Format // but for the number of channels
	frames int64
}

func openAll(outs []Out, o WriteOptions) (*writing, error) {
	w := &writing{}
	for _, out := range outs {
		if len(out.Strands) == 0 {
			return w, snag.Refuse("nothing_to_write", "%s would have no channels", out.Path)
		}
		for _, s := range out.Strands {
			if slices.Contains(w.paths, s.Path) {
				continue
			}
			src, err := o.Opened[s.Path], error(nil)
			if src == nil {
				src, err = source.OpenKnown(s.Path, o.Known[s.Path])
			}
			if err != nil {
				r := snag.Of(err)
				return w, snag.Refuse(r.Code, "%s: %w", s.Path, err)
			}
			w.paths, w.srcs, w.leads = append(w.paths, s.Path), append(w.srcs, src), append(w.leads, o.Leads[s.Path])
		}
		for _, s := range out.Strands {
			src := w.srcs[slices.Index(w.paths, s.Path)]
			if s.Channel < 1 || s.Channel > src.Format.Channels {
				return w, snag.Refuse("no_such_channel", "%s has %d channels, not %d", s.Path, src.Format.Channels, s.Channel)
			}
		}
	}
	first := w.srcs[0]
	w.format, w.frames = first.Format, first.Frames+w.leads[0]
	for i, src := range w.srcs[1:] {
		differ := func(code, what string, a, b any, why string) error {
			return snag.Refuse(code, "%s differs: %s has %v and %s has %v; %s", what, filepath.Base(w.paths[0]), a, filepath.Base(w.paths[i+1]), b, why)
		}
		switch {
		case src.Format.SampleRate != w.format.SampleRate:
			return w, differ("rate_differs", "the sample rate", w.format.SampleRate, src.Format.SampleRate, "samples are moved and never converted here")
		case src.Format.Coding != w.format.Coding:
			return w, differ("coding_differs", "the sample coding", w.format.Coding, src.Format.Coding, "samples are moved and never converted here")
		case src.Frames+w.leads[i+1] != first.Frames+w.leads[0] && !o.Pad && !o.Shortest:
			return w, differ("length_differs", "the length in frames", first.Frames+w.leads[0], src.Frames+w.leads[i+1], "say whether to pad the shorter ones or to end with the shortest")
		}
		if o.Shortest {
			w.frames = min(w.frames, src.Frames+w.leads[i+1])
		} else {
			w.frames = max(w.frames, src.Frames+w.leads[i+1])
		}
	}
	return w, nil
}

func (w *writing) close() {
	for _, s := range w.srcs {
		s.Close()
	}
}

// each reads all sources side by side, silence after their ends, and calls fn with a block of each.
func (w *writing) each(ctx context.Context, fn func(raw [][]byte, at int64, n int) error) error {
	widest := 0
	for _, s := range w.srcs {
		widest += s.Format.FrameBytes()
	}
	block := max(256, 2*blockBytes/widest)
	raw := make([][]byte, len(w.srcs))
	for i, s := range w.srcs {
		raw[i] = make([]byte, block*s.Format.FrameBytes())
	}
	for at := int64(0); at < w.frames; {
		if err := ctx.Err(); err != nil {
			return err
		}
		n := int(min(int64(block), w.frames-at))
		err := each(len(w.srcs), func(i int) error {
			frame := w.srcs[i].Format.FrameBytes()
			block, from := raw[i][:n*frame], at-w.leads[i]
			if lead := max(0, min(int64(n), -from)); lead > 0 {
				silence(block[:int(lead)*frame], w.srcs[i].Format.Coding)
				block, from = block[int(lead)*frame:], from+lead
			}
			return readPadded(w.srcs[i], w.paths[i], block, from)
		})
		if err != nil {
			return err
		}
		if err := fn(raw, at, n); err != nil {
			return err
		}
		at += int64(n)
	}
	return nil
}

// readPadded fills raw with frames from at on, and with silence after the end of the sound.
func readPadded(src *source.Source, path string, raw []byte, at int64) error {
	size := src.Format.FrameBytes()
	got := 0
	for got < len(raw) && at+int64(got/size) < src.Frames {
		n, err := src.ReadFrames(raw[got:], at+int64(got/size))
		got += n * size
		if err != nil && !errors.Is(err, io.EOF) {
			return snag.Refuse("unreadable", "%s: %w", path, err)
		}
		if n == 0 {
			return snag.Refuse("cut_short", "%s ends at frame %d, and held %d when it was opened", path, at+int64(got/size), src.Frames)
		}
	}
	silence(raw[got:], src.Format.Coding)
	return nil
}

// silence fills raw with samples of zero.
func silence(raw []byte, c audio.Coding) {
	clear(raw)
	if c == audio.U8 {
		for i := range raw {
			raw[i] = 128 // the zero of unsigned samples
		}
	}
}

// whole reports whether an out is all channels of one source, in its order, and of which.
func (w *writing) whole(out Out) (source int, yes bool) {
	i := slices.Index(w.paths, out.Strands[0].Path)
	if len(out.Strands) != w.srcs[i].Format.Channels {
		return i, false
	}
	for c, s := range out.Strands {
		if s.Path != w.paths[i] || s.Channel != c+1 {
			return i, false
		}
	}
	return i, true
}

// gather picks an out's channels from the blocks of all sources, interleaved.
func (w *writing) gather(dst []byte, out Out, raw [][]byte, n int) []byte {
	size := w.format.Coding.Bytes()
	if i, ok := w.whole(out); ok { // as it lies
		return append(dst[:0], raw[i][:n*size*len(out.Strands)]...)
	}
	dst = slices.Grow(dst[:0], n*size*len(out.Strands))[:n*size*len(out.Strands)]
	mono := make([]byte, n*size)
	for c, s := range out.Strands {
		i := slices.Index(w.paths, s.Path)
		width := w.srcs[i].Format.Channels
		pick(mono, raw[i][:n*size*width], size, width, []int{s.Channel - 1})
		place(dst, mono, size, len(out.Strands), []int{c}, true)
	}
	return dst
}

// Write makes files of strands, bit for bit, in one pass over their sources. All appear at the end,
// or none. progress, if not nil, is told the frames done.
func Write(ctx context.Context, outs []Out, said Said, o WriteOptions, progress func(done, total int64)) (Written, error) {
	w, err := openAll(outs, o)
	defer w.close()
	if err != nil {
		return Written{}, err
	}
	var snags []snag.Snag
	for _, out := range outs {
		if a, err := os.Stat(out.Path); err == nil {
			for _, p := range w.paths {
				if b, err := os.Stat(p); err == nil && os.SameFile(a, b) {
					return Written{}, snag.Refuse("names_clash", "%s is one of the files that are read", out.Path)
				}
			}
		}
	}
	files := make([]*output, len(outs))
	defer func() {
		for _, f := range files {
			f.abort()
		}
	}()
	for i, out := range outs {
		opts, more, err := w.options(outs, i, said)
		if err != nil {
			return Written{}, err
		}
		for _, s := range more {
			if !slices.Contains(snags, s) {
				snags = append(snags, s)
			}
		}
		if files[i], err = newOutput(out.Path, o.Force, opts); err != nil {
			return Written{}, err
		}
	}
	bufs := make([][]byte, len(outs))
	err = w.each(ctx, func(raw [][]byte, at int64, n int) error {
		err := each(len(outs), func(i int) error {
			bufs[i] = w.gather(bufs[i], outs[i], raw, n)
			_, err := files[i].w.Write(bufs[i])
			return err
		})
		if err == nil && progress != nil {
			progress(at+int64(n), w.frames)
		}
		return err
	})
	if err != nil {
		return Written{}, err
	}
	return Written{w.frames, snags}, commitAll(files)
}

// options is what file i of outs says of itself.
func (w *writing) options(outs []Out, i int, said Said) (wave.Options, []snag.Snag, error) {
	out := outs[i]
	format := w.format
	format.Channels, format.Mask = len(out.Strands), out.Mask
	if l, ok := audio.LayoutOf(out.Order); ok && slices.Equal(l.Speakers, out.Order) {
		format.Mask = l.Mask
	}
	m := metadata{facts: said.Facts, format: format}
	var channels []int
	var used []string
	for c, s := range out.Strands {
		src := w.srcs[slices.Index(w.paths, s.Path)]
		if len(used) == 0 {
			m.base = src.Info
		} else if !slices.Contains(used, s.Path) {
			m.others = append(m.others, src.Info)
		}
		used = append(used, s.Path)
		channels = append(channels, s.Channel)
		m.tracks = append(m.tracks, track{
			source.TrackFact{Channel: c + 1, Label: s.Label, RecorderTrack: s.Track},
			src.TrackEntries(filepath.Base(s.Path))[s.Channel-1].WithSourceChannel(0),
		})
	}
	base := w.srcs[slices.Index(w.paths, used[0])]
	m.whole = len(m.others) == 0 && asItStood(channels, base.Format.Channels)
	number(m.tracks)
	name := strings.TrimSuffix(filepath.Base(outs[0].Path), filepath.Ext(outs[0].Path))
	uid := said.Facts.Family
	if uid == "" {
		var err error
		if uid, err = familyUID(base, name); err != nil {
			return wave.Options{}, nil, err
		}
	}
	m.family = family{uid, name, len(outs), i + 1}
	opts, snags := m.options()
	if said.Bare && m.silent() {
		return wave.Options{Format: format}, nil, nil
	}
	for tag, on := range map[string]bool{"CIRCLED": said.Facts.Circled, "NO_GOOD": said.Facts.NoGood, "FALSE_START": said.Facts.FalseStart, "WILD_TRACK": said.Facts.WildTrack} {
		if on || opts.IXML.Get(tag) != "" {
			opts.IXML.Set(tag, strings.ToUpper(fmt.Sprint(on)))
		}
	}
	return opts, snags, nil
}

// silent reports whether neither the sources nor the tracks have anything to say.
func (m metadata) silent() bool {
	for _, i := range append([]source.Info{m.base}, m.others...) {
		if i.Bext != nil || i.IXML != nil || len(i.Extra) > 0 {
			return false
		}
	}
	return !slices.ContainsFunc(m.tracks, func(t track) bool { return t.Label != "" })
}

// ChannelProof is what reading a channel back found.
type ChannelProof struct {
	Label   string `json:"label"`
	From    string `json:"from"`    // name of the source
	Channel int    `json:"channel"` // there, from 1
	Differs int64  `json:"differs"` // samples
	FirstAt int64  `json:"first_at"`
}

// FileProof is what reading a file back found.
type FileProof struct {
	Name     string         `json:"name"`
	Bytes    int64          `json:"bytes"`
	Hash     string         `json:"hash"` // xxHash-64, 16 hexadecimal digits
	Frames   int64          `json:"frames"`
	Channels []ChannelProof `json:"channels"`
	Wrong    []string       `json:"wrong"` // what the file says of itself and should not
	Sums     blockhash.Sums `json:"-"`     // of its blocks
	Snags    []snag.Snag    `json:"snags"` // what its sources say that it could not carry on
	OK       bool           `json:"ok"`
}

// Prove reads files that Write made back, and compares every sample with its source and what they
// say with what they were to say.
func Prove(ctx context.Context, outs []Out, said Said, o WriteOptions, progress func(done, total int64)) ([]FileProof, error) {
	w, err := openAll(outs, o)
	defer w.close()
	if err != nil {
		return nil, err
	}
	proofs := make([]FileProof, len(outs))
	made := make([]*source.Source, len(outs))
	defer func() {
		for _, m := range made {
			if m != nil {
				m.Close()
			}
		}
	}()
	for i, out := range outs {
		p := &proofs[i]
		*p = FileProof{Name: filepath.Base(out.Path), Wrong: []string{}, Snags: []snag.Snag{}}
		if made[i], err = source.Open(out.Path); err != nil {
			return nil, err
		}
		st, err := os.Stat(out.Path)
		if err != nil {
			return nil, err
		}
		p.Bytes, p.Frames = st.Size(), made[i].Frames
		p.check(made[i], out, said, w)
		if _, snags, err := w.options(outs, i, said); err == nil {
			p.Snags = append(p.Snags, snags...)
		}
		for _, s := range out.Strands {
			p.Channels = append(p.Channels, ChannelProof{Label: s.Label, From: filepath.Base(s.Path), Channel: s.Channel, FirstAt: -1})
		}
	}
	var want, got []byte
	size := w.format.Coding.Bytes()
	err = w.each(ctx, func(raw [][]byte, at int64, n int) error {
		for i, out := range outs {
			p := &proofs[i]
			if made[i].Format.Channels != len(out.Strands) || made[i].Format.Coding != w.format.Coding {
				continue // said already
			}
			want = w.gather(want, out, raw, n)
			got = slices.Grow(got[:0], len(want))[:len(want)]
			if err := readPadded(made[i], out.Path, got, at); err != nil {
				return err
			}
			if bytes.Equal(want, got) {
				continue
			}
			for k := 0; k < len(want); k += size {
				if !bytes.Equal(want[k:k+size], got[k:k+size]) {
					c := &p.Channels[k/size%len(out.Strands)]
					if c.Differs == 0 {
						c.FirstAt = at + int64(k/size/len(out.Strands))
					}
					c.Differs++
				}
			}
		}
		if progress != nil {
			progress(at+int64(n), w.frames)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for i := range proofs {
		p := &proofs[i]
		h, err := made[i].Hash(func() error { return nil })
		if err != nil {
			return nil, err
		}
		p.Sums, p.Hash = h, h.Hash()
		p.OK = len(p.Wrong) == 0 && !slices.ContainsFunc(p.Channels, func(c ChannelProof) bool { return c.Differs > 0 })
	}
	return proofs, nil
}

// check compares what a file says of itself.
func (p *FileProof) check(made *source.Source, out Out, said Said, w *writing) {
	wrong := func(what string, want, got any) {
		if want != got {
			p.Wrong = append(p.Wrong, fmt.Sprintf("%s is %v and should be %v", what, got, want))
		}
	}
	wrong("the number of channels", len(out.Strands), made.Format.Channels)
	wrong("the sample rate", w.format.SampleRate, made.Format.SampleRate)
	wrong("the coding", w.format.Coding, made.Format.Coding)
	wrong("the length", w.frames, made.Frames)
	if said.Bare {
		return
	}
	f := made.Gather("proof.wav")
	wrong("the scene", said.Facts.Scene, f.Scene)
	wrong("the take", said.Facts.Take, f.Take)
	wrong("the roll", said.Facts.Roll, f.Roll)
	wrong("the note", said.Facts.Note, f.Note)
	wrong("circled", said.Facts.Circled, f.Circled)
	if said.Facts.Start >= 0 {
		wrong("the start", said.Facts.Start, f.Start)
	}
	for c, s := range out.Strands {
		if c < len(f.Tracks) {
			wrong(fmt.Sprintf("the label of channel %d", c+1), s.Label, f.Tracks[c].Label)
		}
	}
}
