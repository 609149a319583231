package delivery

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/mix"
	"zestyloom/core/picture"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// Written says what a render met.
type Written struct {
	Clipped []int64 // samples held at full scale, by file and channel, one after another
	// Hashes are those of every channel's samples as they were rendered, by file, before they were written: xxHash-64.
	Hashes [][]uint64
}

// Total is how many samples were held at full scale.
func (w Written) Total() (n int64) {
	for _, k := range w.Clipped {
		n += k
	}
	return n
}

// Options of writing and proving.
type Options struct {
	Sources mix.Sources
	// Picture is where the file lies whose picture goes along; empty for none.
	Picture string
	// Hashes are what a Write of the same plan gave: every channel of what is read back is held against them, and what is
	// not the same is rendered anew to say where. Without, all is rendered anew. Compressed sound always is.
	Hashes [][]uint64
	// OwnReader leaves the second reader out of a proof, which then says so.
	OwnReader bool
	// Progress, if not nil, is told the frames done.
	Progress func(done int64)
}

// Write renders a plan into a folder that exists. Files appear under their names only when all of
// them are whole.
func Write(ctx context.Context, p Plan, dir string, o Options) (Written, error) {
	list, of := p.feeds()
	var sinks []*sink
	defer func() {
		for _, s := range sinks {
			s.abort()
		}
	}()
	for _, f := range p.Files {
		s, err := p.sink(f, dir)
		if s != nil {
			sinks = append(sinks, s)
		}
		if err != nil {
			return Written{}, err
		}
	}
	meters := p.listen(func(i int) bool { return p.Order.Spec.Metadata.Loudness && (p.isWAV(i) || p.describes(p.Files[i])) })
	silence := make([]float64, largest(p))
	err := p.run(ctx, o.Sources, list, func(b audio.Block, at int64) error {
		if n := b.Frames(); n > len(silence) {
			silence = make([]float64, n)
		}
		err := safely.Each(workers, len(sinks), func(i int) error {
			s := sinks[i]
			if len(s.plan.Channels) == 0 {
				return nil // a picture alone
			}
			s.picked = blockOf(s.picked, b, of[i], silence)
			s.raw = s.enc.Encode(s.raw[:0], s.picked, at)
			s.hashes.add(s.raw, s.enc.Coding.Bytes())
			meters.heard(i, 0, len(s.picked), s.raw, s.enc.Coding, at, b.Frames())
			return s.write(s.raw)
		})
		if err != nil {
			return err
		}
		meters.add(at, b.Frames())
		if o.Progress != nil {
			o.Progress(at + int64(b.Frames()))
		}
		return nil
	})
	if err != nil {
		return Written{}, err
	}
	out := Written{}
	for i, s := range sinks {
		if err := s.setLoudness(p, meters, i); err != nil {
			return Written{}, err
		}
		if err := s.finish(ctx, p, o.Picture); err != nil {
			return Written{}, err
		}
		out.Clipped, out.Hashes = append(out.Clipped, s.enc.Clipped...), append(out.Hashes, s.hashes.sums())
	}
	for _, s := range sinks {
		if err := s.file.Commit(); err != nil {
			return Written{}, snag.Refuse("not_placed", "%s could not be put in place: %w", s.file.Path(), err)
		}
	}
	return out, nil
}

// largest is how many frames a block usually has.
func largest(p Plan) int { return mix.BlockFrames*max(1, p.Rates.Files/max(1, p.Rates.Reel)) + 1 }

// sink is a file that is being written.
type sink struct {
	plan  File
	file  *wholefile.File
	enc   audio.Encoder
	w     Frames  // of the file itself, or of the only part
	parts []*part // what a container is made of, beside the file
	wav   *wave.Writer
	bext  *wave.Bext

	picked audio.Block
	raw    []byte
	hashes channelHashes
}

// workers is how many files are worked on at a time.
var workers = runtime.GOMAXPROCS(0)

// part is a WAV file that goes into a container, and which channels it has.
type part struct {
	path         string
	file         *os.File
	w            *wave.Writer
	first, count int
	raw          []byte
}

// sink begins a file of a plan.
func (p Plan) sink(f File, dir string) (*sink, error) {
	path := filepath.Join(dir, filepath.FromSlash(f.Name))
	if _, err := wholefile.MakeFolder(filepath.Dir(path)); err != nil {
		return nil, err
	}
	file, err := wholefile.Create(path, true)
	if err != nil {
		return nil, err
	}
	s := &sink{plan: f, file: file, enc: p.encoder(f), hashes: newHashes(len(f.Channels))}
	options := p.Options(f)
	kind := Containers[f.Container]
	switch {
	case kind.Writer != nil:
		if s.w, err = kind.Writer(file, options); kind.Broadcast {
			s.wav, _ = s.w.(*wave.Writer)
			s.bext = options.Bext
		}
	case !kind.Picture:
		err = s.addPart(0, len(f.Channels), options.Format)
	default:
		for _, st := range streamsOf(f.Groups) {
			format := options.Format
			format.Channels, format.Mask = st.count, st.mask
			if err = s.addPart(st.first, st.count, format); err != nil {
				break
			}
		}
	}
	return s, err
}

func (s *sink) addPart(first, count int, format wave.Format) error {
	path := fmt.Sprintf("%s.%d.part.wav", s.file.Name(), len(s.parts))
	file, err := os.Create(path)
	if err != nil {
		return err
	}
	p := &part{path: path, file: file, first: first, count: count}
	s.parts = append(s.parts, p)
	p.w, err = wave.NewWriter(file, wave.Options{Format: format})
	return err
}

func (s *sink) write(raw []byte) error {
	if s.w != nil {
		_, err := s.w.Write(raw)
		return err
	}
	size := s.enc.Coding.Bytes()
	width := size * len(s.plan.Channels)
	for _, p := range s.parts {
		if p.count == len(s.plan.Channels) {
			if _, err := p.w.Write(raw); err != nil {
				return err
			}
			continue
		}
		p.raw = p.raw[:0]
		for at := 0; at < len(raw); at += width {
			p.raw = append(p.raw, raw[at+p.first*size:at+(p.first+p.count)*size]...)
		}
		if _, err := p.w.Write(p.raw); err != nil {
			return err
		}
	}
	return nil
}

// setLoudness puts what was measured of a file that is one set into the bext chunk, in the hundredths that it has, and of all its groups
// into the description.
func (s *sink) setLoudness(p Plan, heard *listeners, file int) error {
	if s.wav == nil || !p.Order.Spec.Metadata.Loudness {
		return nil
	}
	if p.describes(s.plan) {
		text, err := p.measuredText(s.plan, heard.groups(file))
		if err == nil {
			err = s.wav.SetExtra("axml", text)
		}
		if err != nil {
			return err
		}
	}
	r, one := heard.only(file)
	if s.bext == nil || !one {
		return nil
	}
	x := *s.bext
	x.Version, x.Loudness = 2, bextLoudness(r)
	return s.wav.SetBext(x)
}

// finish makes the file of what was written; it has its name afterwards, once it is committed.
func (s *sink) finish(ctx context.Context, p Plan, with string) error {
	if s.w != nil {
		return s.w.Close()
	}
	var paths, titles []string
	streams := streamsOf(s.plan.Groups)
	for i, part := range s.parts {
		if err := part.w.Close(); err != nil {
			return err
		}
		if err := part.file.Close(); err != nil {
			return err
		}
		paths = append(paths, part.path)
		if i < len(streams) {
			titles = append(titles, streams[i].name)
		}
	}
	if s.plan.Container == "flac" {
		return picture.WriteFLAC(ctx, paths[0], s.file.Name())
	}
	pack := picture.Pack{
		Kind: s.plan.Container, Sounds: paths, Titles: titles, Coding: s.enc.Coding, AAC: s.plan.Coding == "aac", Out: s.file.Name(),
		Start: p.Rate.FormatSamples(p.Start, int64(p.Rates.Files)), Rate: p.Rate, Frames: p.Rate.FrameAt(p.Frames, int64(p.Rates.Files)) + 1,
	}
	for _, st := range streams {
		pack.Fields = append(pack.Fields, st.field)
	}
	if p.Pictures(s.plan) {
		if pack.Picture, pack.Cut = with, p.Order.Picture.Cut; p.Order.Picture.Mark {
			pack.Headset = p.Order.Picture.Headset
		}
	}
	return pack.Write(ctx)
}

func (s *sink) abort() {
	s.file.Abort()
	for _, p := range s.parts {
		p.file.Close()
		os.Remove(p.path)
	}
}

// encoder makes the samples of a file from rendered blocks.
func (p Plan) encoder(f File) audio.Encoder {
	seed := uint64(1)
	if len(f.Channels) > 0 {
		seed = uint64(max(0, f.Channels[0].Output) + 1)
	}
	return audio.Encoder{Coding: f.coding(), Dither: p.Order.Spec.Dither, Seed: seed, Clipped: make([]int64, len(f.Channels))}
}

// isWAV reports whether a file of a plan is one of those that have a bext chunk.
func (p Plan) isWAV(i int) bool {
	return Containers[p.Files[i].Container].Broadcast && !p.Order.Spec.Metadata.NoBext
}

// Options is what a file of the plan holds beside its samples.
func (p Plan) Options(f File) wave.Options {
	format := wave.Format{Coding: f.coding(), SampleRate: p.Rates.Files, Channels: len(f.Channels)}
	if p.Order.Spec.Metadata.Mask && len(f.Groups) == 1 {
		if l, err := audio.ParseLayout(f.Groups[0].Layout); err == nil {
			format.Mask = l.Mask
		}
	}
	o := wave.Options{Format: format, Container: strings.ToUpper(f.Container)}
	note := p.Order.Spec.Name
	if p.Test() {
		note += " (test)"
	}
	x := wave.NewIXML()
	x.Set("PROJECT", p.Order.Titles.Production)
	x.Set("NOTE", note)
	x.SetSpeed(format.SampleRate, format.Bits(), p.Start, p.Rate)
	var tracks []wave.IXMLTrack
	var lines []wave.Track
	for c, ch := range f.Channels {
		tracks = append(tracks, wave.IXMLTrack{Recorder: ch.Number, Interleave: c + 1, Name: ch.Name})
		lines = append(lines, wave.Track{Number: ch.Number, Name: ch.Name})
	}
	x.SetTracks(tracks)
	if !p.Order.Spec.Metadata.NoIXML {
		o.IXML = x
	}
	if !p.Order.Spec.Metadata.NoBext {
		o.Bext = &wave.Bext{
			Description: wave.Description{}.WithTracks(lines, [2]string{"PROJECT", p.Order.Titles.Production}).String(),
			Originator:  "Zesty Loom", OriginationDate: p.Order.Date, OriginationTime: p.Order.Time,
			TimeReference: uint64(p.Start), Version: 1,
			CodingHistory: format.CodingHistory(),
		}
	}
	o.Extra = p.chunks(f)
	return o
}
