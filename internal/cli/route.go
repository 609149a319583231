package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/treat"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
	"zestyloom/core/wholefile"
)

// routed is what route says.
type routed struct {
	Path     string          `json:"path"`
	Layout   string          `json:"layout"`
	Frames   int64           `json:"frames"`
	Exact    bool            `json:"exact"` // channels are moved alone, bit for bit, and read back
	Written  bool            `json:"written"`
	Says     string          `json:"says"`
	Channels []routedChannel `json:"channels"`
	Clipped  []int64         `json:"clipped"`
	Snags    []snag.Snag     `json:"snags"`
}

type routedChannel struct {
	Channel int          `json:"channel"`
	Name    string       `json:"name"`
	From    []routedFrom `json:"from"` // nothing for silence
}

type routedFrom struct {
	Path    string  `json:"path"`
	Channel int     `json:"channel"` // of the file
	Name    string  `json:"name"`
	Factor  float64 `json:"factor"`
	Gain    level   `json:"gain_db"`
}

type routeOptions struct {
	out, matrix, fold, order, law, layout, lfe, coding string
	dither, force, asJSON, forceLayout, dry            bool
}

func routeCommand() *cobra.Command {
	var o routeOptions
	cmd := &cobra.Command{
		Use:   "route FILE... --out FILE",
		Short: "Put channels in another order, sum them by a matrix, fold them down or put them on both sides",
		Long: `Put channels in another order, sum them by a matrix, fold them down or put them on both sides.

The channels of all files are one sound, in the order that the files are named. One of:

  --order FROM:TO   from one order of speakers to another: broadcast, film, mask, fronts, lrc, or names as in
                    "L C R Ls Rs LFE:L R C LFE Ls Rs"
  --fold LAYOUT     to a narrower layout (ITU-R BS.775); the LFE is left out unless --lfe gives its level
  --pan-law DB      one channel onto both sides, each at 0, -3, -4.5 or -6 dB
  --matrix FILE     a line for each channel that is made, a cell for each that there is: factors (0.5, -1) or
                    levels (-3 dB), apart by commas, semicolons or tabs

Without one of these the channels are put together as they are. Where channels are moved alone, every sample is the
same, bit for bit, and the file is read back and compared.`,
		Args: atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			asked := 0
			for _, name := range []string{"matrix", "fold", "order", "pan-law"} {
				if cmd.Flags().Changed(name) {
					asked++
				}
			}
			switch {
			case o.out == "":
				return UsageError{errors.New("route: --out is needed: the file to write")}
			case asked > 1:
				return UsageError{errors.New("route: one of --matrix, --fold, --order and --pan-law at a time")}
			}
			r, err := route(cmd, args, o)
			if err != nil {
				if errors.As(err, new(UsageError)) {
					return err
				}
				return refused(cmd, o.asJSON, args[0], err)
			}
			if o.asJSON {
				return encode(cmd, r)
			}
			r.print(cmd)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.out, "out", "", "file to write")
	f.StringVar(&o.matrix, "matrix", "", "file with a level at every crossing")
	f.StringVar(&o.fold, "fold", "", "layout to fold down to, such as stereo")
	f.StringVar(&o.order, "order", "", "orders to go from and to, such as film:broadcast")
	f.StringVar(&o.law, "pan-law", "", "level of one channel on both sides: 0, -3, -4.5 or -6")
	f.StringVar(&o.layout, "layout", "", "layout of the channels that come in, where no file says it")
	f.BoolVar(&o.forceLayout, "force-layout", false, "take --layout although a file says another")
	f.StringVar(&o.lfe, "lfe", "", "with --fold: at how many dB the LFE goes along")
	f.StringVar(&o.coding, "coding", "", "coding of the file, such as s24 or f32 (that of the first file otherwise)")
	f.BoolVar(&o.dither, "dither", false, "dither samples that fall between the steps of the coding (TPDF)")
	f.BoolVar(&o.force, "force", false, "overwrite a file that is there")
	f.BoolVar(&o.dry, "dry-run", false, "say what would go where and write nothing")
	f.BoolVar(&o.asJSON, "json", false, "say what went where as one JSON object")
	return cmd
}

// ways works out the matrix that is asked for, the names of the channels that are made, their layout, and it all in words.
func (o routeOptions) ways(s *opened) (fold weave.Fold, to audio.Layout, err error) {
	from, sure := s.Layout()
	if o.layout != "" {
		if from, err = s.layout(o.layout, o.forceLayout); err != nil {
			return fold, to, err
		}
		sure = true
	}
	discrete := func(n int) audio.Layout {
		l, _ := audio.DiscreteLayout(n)
		return l
	}
	switch {
	case o.order != "":
		a, b, two := strings.Cut(o.order, ":")
		if !two {
			return fold, to, UsageError{fmt.Errorf("--order %s: expected two orders with : between them, such as film:broadcast", o.order)}
		}
		was, err := audio.ParseOrder(a, s.Channels)
		if err != nil {
			return fold, to, UsageError{fmt.Errorf("--order: %w", err)}
		}
		is, err := audio.ParseOrder(b, s.Channels)
		if err != nil {
			return fold, to, UsageError{fmt.Errorf("--order: %w", err)}
		}
		m, ok := audio.Reorder(is, was)
		if !ok {
			return fold, to, UsageError{fmt.Errorf("--order: %v and %v are not the same speakers", was, is)}
		}
		if to, err = audio.InOrder(is); err != nil {
			return fold, to, err
		}
		return weave.Fold{Matrix: m, Says: "from " + audio.NameOrder(was) + " to " + audio.NameOrder(is)}, to, nil
	case o.fold != "":
		if to, err = layoutCalled(o.fold); err != nil {
			return fold, to, UsageError{err}
		}
		if !sure {
			return fold, to, snag.Refuse("layout_unknown", "nothing says which speakers the %d channels are for, and a fold-down needs to know (option --layout, such as --layout 5.1)", s.Channels)
		}
		var lfe *float64
		if o.lfe != "" {
			v, err := strconv.ParseFloat(o.lfe, 64)
			if err != nil {
				return fold, to, UsageError{fmt.Errorf("--lfe %s is no level in dB", o.lfe)}
			}
			lfe = &v
		}
		fold, err = weave.FoldDown(from, to, lfe)
		fold.Says = from.Name + " folded down to " + to.Name + ": " + fold.Says
		return fold, to, err
	case o.law != "":
		v, err := strconv.ParseFloat(o.law, 64)
		if err != nil {
			return fold, to, UsageError{fmt.Errorf("--pan-law %s: expected one of %v", o.law, weave.Laws)}
		}
		if s.Channels != 1 {
			return fold, to, snag.Refuse("not_mono", "a pan law puts one channel onto both sides, and there are %d", s.Channels)
		}
		to, _ = audio.ParseLayout("stereo")
		m, err := weave.Patch{Preset: weave.Pan, Law: v}.Between(from, to)
		if err != nil {
			return fold, to, UsageError{err}
		}
		return weave.Fold{Matrix: m, Says: fmt.Sprintf("one channel onto both sides at %g dB", v)}, to, nil
	case o.matrix != "":
		text, err := os.ReadFile(o.matrix)
		if err != nil {
			return fold, to, snag.Refuse("not_found", "the matrix %s can't be read: %w", o.matrix, err)
		}
		m, err := weave.ParseMatrix(string(text), s.Channels)
		if err != nil {
			return fold, to, err
		}
		if len(m) > audio.MaxChannels {
			return fold, to, snag.Refuse("too_many_channels", "the matrix makes %d channels: at most %d can be", len(m), audio.MaxChannels)
		}
		switch len(m) {
		case 1, 2:
			to, _ = audio.ParseLayout([]string{"mono", "stereo"}[len(m)-1])
		default:
			to = discrete(len(m))
		}
		return weave.Fold{Matrix: m, Says: "by the matrix " + o.matrix}, to, nil
	}
	if to = from; !sure {
		to = discrete(s.Channels)
	}
	return weave.Fold{Matrix: audio.Unity(s.Channels), Says: "as they are"}, to, nil
}

func route(cmd *cobra.Command, paths []string, o routeOptions) (*routed, error) {
	s, err := openTogether(cmd, paths...)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	fold, to, err := o.ways(s)
	m, says := fold.Matrix, fold.Says
	if err != nil {
		return nil, err
	}
	if same(o.out, paths) {
		return nil, snag.Refuse("exists", "%s is one of the files: write to another", o.out)
	}
	coding := s.srcs[0].Format.Coding
	if o.coding != "" {
		if coding, err = audio.ParseCoding(o.coding); err != nil {
			return nil, UsageError{err}
		}
	}
	r := &routed{Path: o.out, Layout: to.Name, Frames: s.Frames, Says: says, Clipped: make([]int64, len(m)), Snags: append([]snag.Snag{}, s.snags...)}
	var from []routedFrom // by channel
	for i, src := range s.srcs {
		for c, t := range src.Gather(filepath.Base(paths[i])).Tracks {
			from = append(from, routedFrom{Path: paths[i], Channel: c + 1, Name: t.Label})
		}
	}
	moved := fold.Ahead == nil
	for i, row := range m {
		ch := routedChannel{Channel: i + 1, Name: to.Channel(i), From: []routedFrom{}}
		for c, f := range row {
			if f != 0 {
				v := from[c]
				v.Factor, v.Gain = f, level(audio.Decibels(f))
				ch.From = append(ch.From, v)
			}
		}
		if to.Kind == audio.Discrete {
			ch.Name = ""
			if len(ch.From) == 1 {
				ch.Name = ch.From[0].Name
			}
		}
		moved = moved && len(ch.From) == 1 && ch.From[0].Factor == 1
		r.Channels = append(r.Channels, ch)
	}
	for _, src := range s.srcs {
		moved = moved && src.Format.Coding == coding
	}
	r.Exact = moved
	if o.dry {
		return r, wholefile.Free(o.out, o.force)
	}
	r.Written = true
	if moved {
		return r, r.move(cmd, s, to, o)
	}
	return r, r.sum(cmd, s, fold, to, coding, o)
}

// move writes channels in another order, bit for bit, and compares.
func (r *routed) move(cmd *cobra.Command, s *opened, to audio.Layout, o routeOptions) error {
	out := poly.Out{Path: o.out}
	if to.Kind == audio.Bed {
		out.Order = to.Speakers
	}
	open := map[string]string{} // paths as they are read: sound of a file with pictures lies elsewhere
	for i, path := range s.paths {
		open[path] = s.srcs[i].Path()
	}
	for _, ch := range r.Channels {
		label := ch.Name
		if n := ch.From[0].Name; n != "" && to.Kind != audio.Bed {
			label = n
		}
		out.Strands = append(out.Strands, poly.Strand{Path: open[ch.From[0].Path], Channel: ch.From[0].Channel, Label: label})
	}
	facts := s.srcs[0].Gather(filepath.Base(s.paths[0]))
	proof, err := writeAndProve(cmd, out, poly.Said{Facts: facts, Bare: facts.Start < 0 && facts.Scene == ""}, poly.WriteOptions{Force: o.force}, s.Rate)
	r.Snags = append(r.Snags, proof.Snags...)
	return err
}

// routeFrames is how long a block is at the most.
const routeFrames = 1 << 15

// sum writes sums of channels.
func (r *routed) sum(cmd *cobra.Command, s *opened, fold weave.Fold, to audio.Layout, coding audio.Coding, o routeOptions) error {
	m := fold.Matrix
	sweep(cmd, filepath.Dir(o.out))
	file, err := wholefile.Create(o.out, o.force)
	if err != nil {
		return err
	}
	defer file.Abort()
	facts := s.srcs[0].Gather(filepath.Base(s.paths[0]))
	w, err := wave.NewWriter(file, r.says(s, facts, wave.Format{Coding: coding, SampleRate: s.Rate, Channels: len(m), Mask: to.Mask}))
	if err != nil {
		return err
	}
	enc := audio.Encoder{Coding: coding, Dither: o.dither, Seed: 1, Clipped: r.Clipped}
	bar := newProgress(cmd, "routing")
	var raw []byte
	room := audio.NewBlock(len(m), routeFrames)
	out := make(audio.Block, len(m))
	var turn *treat.Quadrature
	var turned audio.Block
	if fold.Ahead != nil {
		turn = treat.NewQuadrature(fold.Ahead, func(int) bool { return true }, s.Rate)
		turned = turn.Room(routeFrames)
	}
	err = s.Run(cmd.Context(), 0, s.Frames, func(b audio.Block, at int64) error {
		n := b.Frames()
		if turn != nil {
			turn.Turn(turned, b, at, n)
			b = turned
		}
		for i, row := range m {
			out[i] = room[i][:n]
			clear(out[i])
			for c, f := range row {
				switch {
				case f == 1:
					for k, v := range b[c][:n] {
						out[i][k] += v
					}
				case f != 0:
					for k, v := range b[c][:n] {
						out[i][k] += float64(v * f)
					}
				}
			}
		}
		raw = enc.Encode(raw[:0], out, at)
		bar.at(at, s.Frames, s.Rate)
		_, err := w.Write(raw)
		return err
	})
	bar.end()
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		return err
	}
	for c, n := range r.Clipped {
		if n > 0 {
			r.Snags = append(r.Snags, snag.New("clipped", "channel %d: %d samples were beyond full scale and are held there", c+1, n))
		}
	}
	return file.Commit()
}

// says is what the file says of itself: the start of the first, and the names of its channels.
func (r *routed) says(s *opened, facts source.Facts, f wave.Format) wave.Options {
	o := wave.Options{Format: f, IXML: wave.NewIXML()}
	var tracks []wave.IXMLTrack
	for i, ch := range r.Channels {
		tracks = append(tracks, wave.IXMLTrack{Recorder: i + 1, Interleave: i + 1, Name: ch.Name})
	}
	if facts.Start >= 0 {
		rate := facts.Rate
		o.IXML.SetSpeed(s.Rate, f.Bits(), facts.Start, rate)
		o.Bext = &wave.Bext{Originator: "Zesty Loom", TimeReference: uint64(facts.Start), Version: 1, CodingHistory: f.CodingHistory()}
	}
	o.IXML.SetTracks(tracks)
	return o
}

func (r *routed) print(cmd *cobra.Command) {
	saySnags(cmd, r.Snags)
	sayf(cmd, "%s", shown(r.Says))
	for _, ch := range r.Channels {
		var from []string
		for _, f := range ch.From {
			v := fmt.Sprintf("%s channel %d", filepath.Base(f.Path), f.Channel)
			if f.Factor != 1 {
				v += fmt.Sprintf(" at %.2f dB", float64(f.Gain))
			}
			if f.Factor < 0 {
				v += ", turned over"
			}
			from = append(from, v)
		}
		what := strings.Join(from, " + ")
		if what == "" {
			what = "silence"
		}
		sayf(cmd, "channel %d %s <- %s", ch.Channel, shown(ch.Name), shown(what))
	}
	exact := wouldSay(!r.Written)
	if r.Exact && r.Written {
		exact = ", read back and compared"
	}
	sayf(cmd, "-> %s: %s%s", shown(r.Path), r.Layout, exact)
}
