package poly

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/readahead"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
)

// JoinOptions say how files become one.
type JoinOptions struct {
	Out     string
	Pad     bool // allow unequal lengths: silence at the end of the shorter ones
	AsGiven bool // keep the given order
	Anyway  bool // allow files that say they are of different takes
	Force   bool // overwrite
}

// Member is one file of a join.
type Member struct {
	Path     string
	Channels []int // in the new file, from 1
	Labels   []string
	Frames   int64
	zero     []int // Channels from 0
	src      *source.Source
	facts    source.Facts
}

// Join is a planned join: everything is known but nothing is written.
type Join struct {
	Members []Member // in the order of their channels
	Reason  string   // why they are in that order
	Frames  int64
	Format  wave.Format
	Snags   []snag.Snag
	options wave.Options
	out     string
	force   bool
	woven   bool // the members' channels do not stand one member after the other
}

// PlanJoin opens files and works out the order in which they become one. Close the plan when done.
func PlanJoin(paths []string, o JoinOptions) (*Join, error) {
	j := &Join{out: o.Out, force: o.Force}
	if err := j.open(paths); err != nil {
		j.Close()
		return nil, err
	}
	if err := j.plan(o); err != nil {
		j.Close()
		return nil, err
	}
	return j, nil
}

func (j *Join) open(paths []string) error {
	for _, p := range paths {
		src, err := source.Open(p)
		if err != nil {
			r := snag.Of(err)
			return snag.Refuse(r.Code, "%s: %w", p, err)
		}
		j.Members = append(j.Members, Member{Path: p, Frames: src.Frames, src: src, facts: src.Gather(filepath.Base(p))})
	}
	return nil
}

func (j *Join) plan(o JoinOptions) error {
	if err := j.check(o); err != nil {
		return err
	}
	if o.AsGiven {
		j.Reason = "as given"
	} else {
		j.Reason = order(j.Members)
	}
	first := j.Members[0]
	j.Format = first.src.Format
	m := metadata{base: first.src.Info, facts: first.facts}
	var speakers []audio.Speaker
	for i := range j.Members {
		mem := &j.Members[i]
		j.Frames = max(j.Frames, mem.Frames)
		if i > 0 {
			m.others = append(m.others, mem.src.Info)
			m.facts.Fill(mem.facts)
		}
		for _, s := range mem.facts.Snags {
			j.Snags = append(j.Snags, snag.New(s.Code, "%s: %s", filepath.Base(mem.Path), s.Message))
		}
		if sp := source.ParseName(mem.Path).Speaker; sp != "" && mem.src.Format.Channels == 1 {
			speakers = append(speakers, sp)
		}
	}
	m.tracks = j.lay(o.AsGiven)
	channel := len(m.tracks)
	j.Format.Channels = channel
	if m.whole = len(j.Members) == 1; !m.whole {
		j.Format.Mask = 0
	}
	if len(speakers) == channel && !o.AsGiven {
		if l, ok := audio.LayoutOf(speakers); ok && slices.Equal(l.Speakers, speakers) {
			j.Format.Mask = l.Mask
		}
	}
	m.format = j.Format
	base := strings.TrimSuffix(filepath.Base(o.Out), filepath.Ext(o.Out))
	uid := first.facts.Family
	if uid == "" {
		var err error
		if uid, err = familyUID(first.src, base); err != nil {
			return err
		}
	}
	m.family = family{uid, base, 1, 1}
	var snags []snag.Snag
	j.options, snags = m.options()
	j.Snags = append(j.Snags, snags...)
	if a, err := os.Stat(o.Out); err == nil {
		if !o.Force {
			return snag.Refuse("exists", "%s is there already and is not overwritten; choose another name, or force it", o.Out)
		}
		for _, mem := range j.Members {
			if b, err := os.Stat(mem.Path); err == nil && os.SameFile(a, b) {
				return snag.Refuse("names_clash", "%s is one of the files that are being joined", o.Out)
			}
		}
	}
	return nil
}

// lay gives every channel of every member its place in the new file and returns the tracks in that order:
// member after member, but the members of a split go back to where each channel was, if asGiven does not
// forbid it.
func (j *Join) lay(asGiven bool) []track {
	type lane struct {
		member int
		track
	}
	var lanes []lane
	was := map[int]bool{}
	family := j.Members[0].facts.Family
	for i := range j.Members {
		mem := &j.Members[i]
		if mem.facts.Family != family {
			family = ""
		}
		for _, t := range tracksOf(mem.src.Info, mem.facts, filepath.Base(mem.Path)) {
			was[t.entry.SourceChannel()] = true
			mem.Labels = append(mem.Labels, t.Label)
			lanes = append(lanes, lane{i, t})
		}
	}
	if !asGiven && family != "" && len(was) == len(lanes) && !was[0] {
		slices.SortStableFunc(lanes, func(a, b lane) int { return a.entry.SourceChannel() - b.entry.SourceChannel() })
	}
	tracks := make([]track, len(lanes))
	for i, l := range lanes {
		mem := &j.Members[l.member]
		at := l.Channel - 1
		if mem.Channels == nil {
			mem.Channels, mem.zero = make([]int, mem.src.Format.Channels), make([]int, mem.src.Format.Channels)
		}
		mem.Channels[at], mem.zero[at] = i+1, i
		l.Channel, l.entry = i+1, l.entry.WithSourceChannel(0)
		tracks[i] = l.track
	}
	number(tracks)
	j.woven = !slices.IsSortedFunc(lanes, func(a, b lane) int { return a.member - b.member })
	for _, m := range j.Members {
		j.woven = j.woven || !slices.IsSorted(m.zero)
	}
	return tracks
}

// check refuses files that do not belong into one.
func (j *Join) check(o JoinOptions) error {
	a := j.Members[0]
	for i, b := range j.Members[1:] {
		differ := func(code, what string, x, y any, remedy string) error {
			return snag.Refuse(code, "%s differs: %s has %v and %s has %v; %s", what, filepath.Base(a.Path), x, filepath.Base(b.Path), y, remedy)
		}
		for _, earlier := range j.Members[:i+1] {
			if same, err := sameFile(earlier.Path, b.Path); err == nil && same {
				return snag.Refuse("twice", "%s is given twice", b.Path)
			}
		}
		af, bf := a.src.Format, b.src.Format
		switch {
		case af.SampleRate != bf.SampleRate:
			return differ("rate_differs", "the sample rate", af.SampleRate, bf.SampleRate, "convert one of them first")
		case af.Coding != bf.Coding:
			return differ("coding_differs", "the sample coding", af.Coding, bf.Coding, "samples are moved and never converted here")
		case !o.Anyway && a.facts.Family != "" && b.facts.Family != "" && a.facts.Family != b.facts.Family:
			return differ("family_differs", "the file family", a.facts.Family, b.facts.Family, "they come from different recordings; ask for it anyway if you know better")
		case !o.Anyway && a.facts.Scene != "" && b.facts.Scene != "" && a.facts.Scene != b.facts.Scene:
			return differ("take_differs", "the scene", a.facts.Scene, b.facts.Scene, "they are of different takes; ask for it anyway if you know better")
		case !o.Anyway && a.facts.Take != "" && b.facts.Take != "" && a.facts.Take != b.facts.Take:
			return differ("take_differs", "the take", a.facts.Take, b.facts.Take, "they are of different takes; ask for it anyway if you know better")
		case a.facts.Start >= 0 && b.facts.Start >= 0 && a.facts.Start != b.facts.Start:
			if !o.Anyway {
				return differ("start_differs", "the start", a.facts.Start, b.facts.Start, "they did not begin at the same sample")
			}
			j.Snags = append(j.Snags, snag.New("start_differs", "%s starts at %d and %s at %d: joined from their first samples all the same", filepath.Base(a.Path), a.facts.Start, filepath.Base(b.Path), b.facts.Start))
		case (a.facts.Start < 0) != (b.facts.Start < 0):
			j.Snags = append(j.Snags, snag.New("start_missing", "of %s and %s only one says when it starts", filepath.Base(a.Path), filepath.Base(b.Path)))
		}
		if a.Frames != b.Frames {
			if !o.Pad {
				return differ("length_differs", "the length in frames", a.Frames, b.Frames, "allow padding to fill the shorter ones with silence at the end")
			}
			j.Snags = append(j.Snags, snag.New("padded", "%s has %d frames and %s %d: the shorter is filled with silence at the end", filepath.Base(a.Path), a.Frames, filepath.Base(b.Path), b.Frames))
		}
	}
	return nil
}

func sameFile(a, b string) (bool, error) {
	x, err := os.Stat(a)
	if err != nil {
		return false, err
	}
	y, err := os.Stat(b)
	return err == nil && os.SameFile(x, y), err
}

// order sorts members and says by what.
func order(ms []Member) string {
	by := source.Order(ms, func(m Member) source.Member { return source.Member{Name: m.Path, Facts: m.facts} })
	if by == "" {
		return "as given: neither metadata nor names tell the order"
	}
	return by
}

// Close releases the sources.
func (j *Join) Close() error {
	var errs []error
	for _, m := range j.Members {
		errs = append(errs, m.src.Close())
	}
	return errors.Join(errs...)
}

// Describe says the order in words, a channel a line.
func (j *Join) Describe() []string {
	lines := make([]string, j.Format.Channels)
	for _, m := range j.Members {
		for i, c := range m.Channels {
			label := m.Labels[i]
			if label == "" {
				label = "no label"
			}
			lines[c-1] = fmt.Sprintf("%d  %s  (%s)", c, label, filepath.Base(m.Path))
		}
	}
	return lines
}

// Run writes the file. progress, if not nil, is told the frames done.
func (j *Join) Run(ctx context.Context, progress func(done int64)) error {
	out, err := newOutput(j.out, j.force, j.options)
	if err != nil {
		return err
	}
	defer out.abort()
	size, frame := j.Format.Coding.Bytes(), j.Format.FrameBytes()
	block := max(1, blockBytes/frame) * frame
	in := make([][]byte, len(j.Members))
	for i, m := range j.Members {
		in[i] = make([]byte, block/frame*size*len(m.Channels))
	}
	var reading int64
	fill := func(buf []byte) (int, error) {
		n := int(min(int64(len(buf)/frame), j.Frames-reading))
		if n == 0 {
			return 0, io.EOF
		}
		err := each(len(j.Members), func(i int) error { return j.read(in[i], j.Members[i], reading, n) })
		tiles(n, func(from, to int) {
			for i, m := range j.Members {
				w := len(m.Channels) * size
				place(buf[from*frame:to*frame], in[i][from*w:to*w], size, j.Format.Channels, m.zero, !j.woven)
			}
		})
		if err != nil {
			return 0, err
		}
		reading += int64(n)
		return n * frame, nil
	}
	err = readahead.Run(ctx, block, fill, func(block []byte) error {
		_, err := out.w.Write(block)
		if progress != nil {
			progress(out.w.Frames())
		}
		return err
	})
	if err != nil {
		return err
	}
	return commitAll([]*output{out})
}

// read reads n frames of a member, and silence after its end.
func (j *Join) read(raw []byte, m Member, at int64, n int) error {
	frame := j.Format.Coding.Bytes() * len(m.Channels)
	got := 0
	for got < n {
		k, err := m.src.ReadFrames(raw[got*frame:n*frame], at+int64(got))
		got += k
		if errors.Is(err, io.EOF) && at+int64(got) >= m.Frames {
			break
		}
		if err != nil {
			return snag.Refuse("unreadable", "%s: %w", m.Path, err)
		}
	}
	silence(raw[got*frame:n*frame], j.Format.Coding)
	return nil
}
