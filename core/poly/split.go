package poly

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

// DefaultPattern names the files of a split.
const DefaultPattern = "{file}_{channel}_{label}"

// SplitFields are the fields a name pattern for a split may have.
var SplitFields = []string{"file", "channel", "label", "track", "scene", "take", "roll", "project"}

// SplitOptions say which channels become which files.
type SplitOptions struct {
	Dir      string // existing or new folder
	Channels string // such as "3-6"; all when empty and no pairs are given, else only these
	Pairs    string // such as "1-2,5-6": stereo files
	Pattern  string // DefaultPattern when empty
	Force    bool   // overwrite
}

// Part is one file of a split.
type Part struct {
	Path     string
	Channels []int // of the source, from 1
	Label    string
	options  wave.Options
}

// Split is a planned split: everything is known but nothing is written.
type Split struct {
	Parts  []Part
	Frames int64
	Snags  []snag.Snag
	src    *source.Source
	force  bool
	dir    string
}

// PlanSplit opens a file and works out what its split would write. Close the plan when done.
func PlanSplit(path string, o SplitOptions) (*Split, error) {
	src, err := source.Open(path)
	if err != nil {
		return nil, err
	}
	p, err := planSplit(src, path, o)
	if err != nil {
		src.Close()
		return nil, err
	}
	return p, nil
}

func planSplit(src *source.Source, path string, o SplitOptions) (*Split, error) {
	width := src.Format.Channels
	groups, err := splitGroups(o, width)
	if err != nil {
		return nil, err
	}
	pattern := o.Pattern
	if pattern == "" {
		pattern = DefaultPattern
	}
	facts := src.Gather(filepath.Base(path))
	p := &Split{Frames: src.Frames, Snags: slices.Clone(facts.Snags), src: src, force: o.Force, dir: o.Dir}
	base := strings.TrimSuffix(filepath.Base(path), filepath.Ext(path))
	uid, err := familyUID(src, base)
	if err != nil {
		return nil, err
	}
	all := tracksOf(src.Info, facts, filepath.Base(path))
	number(all)
	for c := range all {
		all[c].entry = all[c].entry.WithSourceChannel(c + 1)
	}
	var names []string
	for i, group := range groups {
		format := src.Format
		format.Channels, format.Mask = len(group), 0
		if len(group) == 2 {
			format.Mask = 3
		}
		m := metadata{base: src.Info, facts: facts, format: format, whole: asItStood(group, width),
			family: family{uid, base, len(groups), i + 1}}
		var labels, tracks []string
		for _, c := range group {
			m.tracks = append(m.tracks, all[c-1])
			t := facts.Tracks[c-1]
			if t.Label != "" {
				labels = append(labels, t.Label)
			}
			if t.RecorderTrack > 0 {
				tracks = append(tracks, strconv.Itoa(t.RecorderTrack))
			}
		}
		label := strings.Join(labels, "+")
		name, err := naming.Expand(pattern, map[string]string{
			"file": base, "channel": span(group, width), "label": label, "track": strings.Join(tracks, "-"),
			"scene": facts.Scene, "take": facts.Take, "roll": facts.Roll, "project": facts.Project,
		})
		if err != nil {
			return nil, snag.Refuse("bad_pattern", "%w", err)
		}
		name += ".wav"
		names = append(names, name)
		opts, snags := m.options()
		p.Parts = append(p.Parts, Part{Path: filepath.Join(o.Dir, name), Channels: group, Label: label, options: opts})
		if i == 0 {
			p.Snags = append(p.Snags, snags...) // the same for every part
		}
	}
	if n := naming.Clash(names); n != "" {
		return nil, snag.Refuse("names_clash", "two channels would be written to %s: put {channel} into the name pattern", n)
	}
	for _, part := range p.Parts {
		if a, err1 := os.Stat(part.Path); err1 == nil {
			if !o.Force {
				return nil, snag.Refuse("exists", "%s is there already and is not overwritten; choose another folder, or force it", part.Path)
			}
			if b, err2 := os.Stat(path); err2 == nil && os.SameFile(a, b) {
				return nil, snag.Refuse("names_clash", "%s is the file that is being split", part.Path)
			}
		}
	}
	return p, nil
}

// asItStood reports whether channels are all of a file of the given width, in their order.
func asItStood(channels []int, width int) bool {
	for i, c := range channels {
		if c != i+1 {
			return false
		}
	}
	return len(channels) == width
}

// splitGroups orders the wanted channels into files, by the first channel of each.
func splitGroups(o SplitOptions, width int) ([][]int, error) {
	var groups [][]int
	paired := map[int]bool{}
	if o.Pairs != "" {
		pairs, err := ParsePairs(o.Pairs, width)
		if err != nil {
			return nil, err
		}
		for _, p := range pairs {
			groups = append(groups, p[:])
			paired[p[0]], paired[p[1]] = true, true
		}
	}
	var single []int
	if o.Channels != "" {
		var err error
		if single, err = ParseChannels(o.Channels, width); err != nil {
			return nil, err
		}
	} else {
		for c := 1; c <= width; c++ {
			single = append(single, c)
		}
	}
	for _, c := range single {
		if !paired[c] {
			groups = append(groups, []int{c})
		}
	}
	slices.SortStableFunc(groups, func(a, b []int) int { return a[0] - b[0] })
	return groups, nil
}

// familyUID names the recording that the files of a split come from: the same for the same file,
// another for another, from its facts and the first of its samples.
func familyUID(src *source.Source, base string) (string, error) {
	h := xxhash.New()
	fmt.Fprintf(h, "%s|%d|%d|%d|%s", base, src.Format.SampleRate, src.Format.Channels, src.Frames, src.Format.Coding)
	buf := make([]byte, 1<<18/src.Format.FrameBytes()*src.Format.FrameBytes())
	n, err := src.ReadFrames(buf, 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	h.Write(buf[:n*src.Format.FrameBytes()])
	var b [8]byte
	binary.BigEndian.PutUint64(b[:], h.Sum64())
	return fmt.Sprintf("ZL%X", b), nil
}

// SampleRate is that of all files.
func (p *Split) SampleRate() int { return p.src.Format.SampleRate }

// Close releases the source.
func (p *Split) Close() error { return p.src.Close() }

// Run writes the files. All appear at the end, or none. progress, if not nil, is told the frames
// done.
func (p *Split) Run(ctx context.Context, progress func(done int64)) (err error) {
	undo, err := wholefile.MakeFolder(p.dir)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			undo()
		}
	}()
	outs := make([]*output, len(p.Parts))
	defer func() {
		for _, o := range outs {
			o.abort()
		}
	}()
	f := p.src.Format
	for i, part := range p.Parts {
		o, err := newOutput(part.Path, p.force, part.options)
		if err != nil {
			return err
		}
		outs[i] = o
	}
	zero := make([][]int, len(p.Parts))
	for i, part := range p.Parts {
		for _, c := range part.Channels {
			zero[i] = append(zero[i], c-1)
		}
	}
	bufs := make([][]byte, len(outs))
	err = p.src.EachBlock(ctx, blockBytes, func(raw []byte, at int64) error {
		frames := len(raw) / f.FrameBytes()
		size, frame := f.Coding.Bytes(), f.FrameBytes()
		for i := range bufs {
			if need := frames * len(zero[i]) * size; cap(bufs[i]) < need {
				bufs[i] = make([]byte, need)
			}
		}
		tiles(frames, func(from, to int) {
			for i, channels := range zero {
				w := len(channels) * size
				pick(bufs[i][from*w:to*w], raw[from*frame:to*frame], size, f.Channels, channels)
			}
		})
		err := each(len(outs), func(i int) error {
			_, err := outs[i].w.Write(bufs[i][:frames*len(zero[i])*size])
			return err
		})
		if err == nil && progress != nil {
			progress(at + int64(frames))
		}
		return err
	})
	if err != nil {
		return err
	}
	return commitAll(outs)
}
