package mix_test

import (
	"context"
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/automation"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// strandsOf writes files of several channels at 48 kHz and says where their strands are: "file/channel".
func strandsOf(t testing.TB, files, channels, frames int) (sound map[string][]float64, sources mix.Sources) {
	rnd := rand.New(rand.NewPCG(7, uint64(frames)))
	sound = map[string][]float64{}
	dir := t.TempDir()
	for f := range files {
		x := make([][]float64, channels)
		for c := range x {
			x[c] = make([]float64, frames)
			for i := range x[c] {
				x[c][i] = float64(rnd.IntN(1<<24)-1<<23) / (1 << 23)
			}
			sound[fmt.Sprint(f, "/", c)] = x[c]
		}
		testmedia.Write(t, filepath.Join(dir, strconv.Itoa(f)), audio.S24, 48000, x...)
	}
	return sound, func(s string) (mix.Source, error) {
		var f, c int
		if _, err := fmt.Sscanf(s, "%d/%d", &f, &c); err != nil {
			return mix.Source{}, err
		}
		return mix.Source{Path: filepath.Join(dir, strconv.Itoa(f)), Channel: c}, nil
	}
}

const modelFrames = 40000 // of each strand

// edited makes up a reel with everything that a reel can have.
func edited(rnd *rand.Rand) reel.Reel {
	curve := func(least, most float64, from int64) (c automation.Curve) {
		at := from
		for range rnd.IntN(5) {
			at += 1 + rnd.Int64N(9000)
			c = append(c, automation.Point{At: at, Value: least + rnd.Float64()*(most-least), Shape: []automation.Shape{automation.Straight, automation.Smooth, automation.Hold}[rnd.IntN(3)]})
		}
		return c
	}
	matrix := func(to, from int) weave.Patch {
		m := make(audio.Matrix, to)
		for i := range m {
			for range from {
				m[i] = append(m[i], []float64{0, 1, -0.5, 0.3}[rnd.IntN(4)])
			}
		}
		return weave.Patch{Preset: weave.Custom, Matrix: m}
	}
	// between the sides, where there are two, over time; otherwise as it is
	between := func(from int, to string, begin int64, otherwise weave.Patch) weave.Patch {
		switch {
		case to != "stereo" && to != "5.1":
		case from == 1:
			return weave.Patch{Preset: weave.Pan, Law: weave.Laws[rnd.IntN(4)], Position: 0.25, Moving: curve(-1, 1, begin)}
		case from == 2:
			width := []float64{0, 0.5, 1, 2}[rnd.IntN(4)]
			return weave.Patch{Preset: weave.Balance, Width: &width, Position: -0.5, Moving: curve(-1, 1, begin)}
		}
		return otherwise
	}
	r := reel.Reel{Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	widths := []string{"mono", "stereo", "5.1", "discrete 3", "ambisonic 1 SN3D"}
	for i, role := range []weave.Role{weave.Mix, weave.Mix, weave.Stem, weave.Stem, weave.Part, weave.Part} {
		b := weave.Bus{ID: fmt.Sprint("b", i), Name: fmt.Sprint("b", i), Role: role, Layout: widths[rnd.IntN(3)]}
		if role == weave.Part {
			b.Of = "b2"
		}
		r.Weave.Buses = append(r.Weave.Buses, b)
	}
	r.Weave.Levels = map[string]weave.Level{}
	for _, b := range r.Weave.Buses {
		if rnd.IntN(2) == 0 {
			r.Weave.Levels[b.ID] = weave.Level{GainDB: float64(rnd.IntN(3) - 1), Gain: curve(-12, 3, 0)}
		}
	}
	for i, b := range r.Weave.Buses {
		if rnd.IntN(3) > 0 {
			continue
		}
		c := weave.Correction{ID: fmt.Sprint("c", i), Bus: b.ID, Buses: []string{b.ID}, GainDB: float64(rnd.IntN(5) - 2), Gain: curve(-6, 0, 0), Peaks: curve(-3, 0, 0), FreeLFE: rnd.IntN(2) == 0, Off: rnd.IntN(4) == 0}
		if other := r.Weave.Buses[rnd.IntN(len(r.Weave.Buses))].ID; other != b.ID {
			c.Buses = append(c.Buses, other)
		}
		r.Weave.Corrections = append(r.Weave.Corrections, c)
	}
	send := func(id string, from audio.Layout, buses []weave.Bus) {
		for _, b := range buses {
			if rnd.IntN(2) == 0 {
				continue
			}
			s := weave.Send{To: b.ID, GainDB: float64(rnd.IntN(3) * -3), Gain: curve(-20, 6, 0), Patch: matrix(b.Channels().Count, from.Count), Pre: rnd.IntN(3) == 0}
			if rnd.IntN(2) == 0 {
				s.Patch = between(from.Count, b.Layout, 0, s.Patch)
			}
			if b.Layout != "mono" && rnd.IntN(3) == 0 {
				s.Patch = weave.Patch{Preset: weave.Placed}
				for range from.Count {
					place := weave.Place{Position: spatial.Position{Azimuth: 360*rnd.Float64() - 180, Inward: rnd.Float64(), Spread: 90 * rnd.Float64(), LFEOn: true, LFE: -6}}
					if rnd.IntN(2) == 0 {
						place.Moving = &weave.Path{Azimuth: automation.Curve{{At: 0, Value: -200}, {At: 40000, Value: 400 * rnd.Float64()}}}
					}
					s.Patch.Places = append(s.Patch.Places, place)
				}
			}
			r.Weave.Sends[id] = append(r.Weave.Sends[id], s)
		}
	}
	for i, b := range r.Weave.Buses {
		send(b.ID, b.Channels(), r.Weave.Buses[:i])
	}
	for i := range 6 {
		t := reel.Track{ID: fmt.Sprint("t", i), Label: "t", Layout: widths[rnd.IntN(len(widths))], Off: rnd.IntN(6) == 0, GainDB: float64(rnd.IntN(2) * -2), Gain: curve(-30, 3, 0)}
		at, fade := rnd.Int64N(5000), int64(0)
		for k := range rnd.IntN(6) {
			c := reel.Clip{ID: fmt.Sprint(i, "c", k), Name: "x", At: at, In: rnd.Int64N(5000), Length: 200 + rnd.Int64N(20000), GainDB: float64(rnd.IntN(2) * 3), Invert: rnd.IntN(2) == 0}
			width := t.Channels().Count
			if rnd.IntN(3) == 0 {
				width = 1 + rnd.IntN(3)
				c.Patch = between(width, t.Layout, c.In, matrix(t.Channels().Count, width))
			}
			for range width {
				c.Strands = append(c.Strands, fmt.Sprint(rnd.IntN(3), "/", rnd.IntN(4)))
			}
			c.Gain = curve(-40, 6, c.In)
			c.FadeIn = reel.Fade{Length: fade + rnd.Int64N(30), Shape: reel.FadeShapes[rnd.IntN(3)]}
			fade = rnd.Int64N(50)
			c.FadeOut = reel.Fade{Length: fade, Shape: reel.FadeShapes[rnd.IntN(3)]}
			for from := c.In + rnd.Int64N(3000); len(c.Off) < rnd.IntN(4); from += 100 + rnd.Int64N(4000) {
				c.Off = append(c.Off, reel.Range{From: from, To: from + 100, Ramp: rnd.Int64N(50)})
			}
			t.Clips = append(t.Clips, c)
			at = c.End() - fade
			if rnd.IntN(2) == 0 {
				at, fade = c.End()+rnd.Int64N(3000), 0
			}
		}
		r.Tracks = append(r.Tracks, t)
		send(t.ID, t.Channels(), r.Weave.Buses)
	}
	for i := range 10 {
		b := r.Weave.Buses[rnd.IntN(len(r.Weave.Buses))]
		o := weave.Output{Name: strconv.Itoa(i), Bus: b.ID, Channel: rnd.IntN(b.Channels().Count)}
		if rnd.IntN(2) == 0 {
			o.TrimDB, o.Invert, o.Mute = float64(rnd.IntN(3)-1)*2.5, rnd.IntN(2) == 0, rnd.IntN(8) == 0
		}
		if rnd.IntN(3) == 0 {
			o.Delay = []int{1, 480, 20000}[rnd.IntN(3)]
		}
		r.Weave.Outputs = append(r.Weave.Outputs, o)
	}
	r.Weave.Outputs[4].Bus = ""
	return r
}

// model is what a reel sounds like, worked out sample by sample and way by way, with nothing of the player.
type model struct {
	r     reel.Reel
	sound map[string][]float64
}

func db(v float64) float64 { return math.Pow(10, v/20) }

func value(c automation.Curve, at int64) float64 {
	for i, p := range c {
		switch {
		case at < p.At && i == 0:
			return p.Value
		case at < p.At:
			a := c[i-1]
			t := float64(at-a.At) / float64(p.At-a.At)
			switch a.Shape {
			case automation.Hold:
				t = 0
			case automation.Smooth:
				t = 0.5 - 0.5*math.Cos(math.Pi*t)
			}
			return a.Value*(1-t) + p.Value*t
		}
	}
	if len(c) == 0 {
		return 0
	}
	return c[len(c)-1].Value
}

// sided is by which factor a channel enters the speaker of a name, of a patch between two sides.
func sided(patch weave.Patch, speaker string, channel int, at int64) float64 {
	p := patch.Position
	if len(patch.Moving) > 0 {
		p = value(patch.Moving, at)
	}
	if patch.Preset == weave.Balance {
		m, s := 0.5, 0.5**patch.Width // of mid and side
		if channel == 1 {
			s = -s
		}
		return map[string]float64{"L": min(1, 1-p) * (m + s), "R": min(1, 1+p) * (m - s)}[speaker]
	}
	cos, lin := math.Cos((p+1)*math.Pi/4), (1-p)/2
	left := map[float64]float64{0: min(1, 1-p), -3: cos, -4.5: math.Sqrt(cos * lin), -6: lin}[patch.Law]
	sin, lin := math.Sin((p+1)*math.Pi/4), (1+p)/2
	right := map[float64]float64{0: min(1, 1+p), -3: sin, -4.5: math.Sqrt(sin * lin), -6: lin}[patch.Law]
	return map[string]float64{"L": left, "R": right}[speaker]
}

func (m model) track(t reel.Track, at int64, gained bool) []float64 {
	out := make([]float64, t.Channels().Count)
	for _, c := range t.Clips {
		if t.Off || at < c.At || at >= c.At+c.Length {
			continue
		}
		i := at - c.At
		g := db(c.GainDB + value(c.Gain, c.In+i))
		if c.Invert {
			g = -g
		}
		for _, f := range []struct {
			f reel.Fade
			i int64
		}{{c.FadeIn, i}, {c.FadeOut, c.Length - 1 - i}} {
			if f.i < f.f.Length {
				x := float64(f.i+1) / float64(f.f.Length+1)
				switch f.f.Shape {
				case reel.EqualPower:
					x = math.Sin(x * math.Pi / 2)
				case reel.RaisedCos:
					x = 0.5 - 0.5*math.Cos(x*math.Pi)
				}
				g *= x
			}
		}
		for _, o := range c.Off {
			if f := c.In + i; f >= o.From && f < o.To {
				x := 0.0
				if f-o.From < o.Ramp {
					x = 1 - float64(f-o.From+1)/float64(o.Ramp+1)
				} else if o.To-1-f < o.Ramp {
					x = 1 - float64(o.To-f)/float64(o.Ramp+1)
				}
				g *= x
			}
		}
		for ch := range out {
			for j, s := range c.Strands {
				f := 0.0
				switch {
				case c.Patch.Matrix != nil:
					f = c.Patch.Matrix[ch][j]
				case c.Patch.Preset != weave.Plain:
					f = sided(c.Patch, t.Channels().Channel(ch), j, c.In+i)
				case ch == j:
					f = 1
				}
				out[ch] += f * g * m.sound[s][c.In+i]
			}
		}
	}
	if gained {
		for ch := range out {
			out[ch] *= db(t.GainDB + value(t.Gain, at))
		}
	}
	return out
}

func (m model) bus(b weave.Bus, at int64) []float64 {
	out := make([]float64, b.Channels().Count)
	enter := func(s weave.Send, from []float64) {
		g := db(s.GainDB + value(s.Gain, at))
		for ch := range out {
			for j, v := range from {
				f := 0.0
				switch s.Patch.Preset {
				case weave.Placed:
					place := s.Patch.Places[j].Position
					if m := s.Patch.Places[j].Moving; m != nil {
						place.Azimuth = value(m.Azimuth, at)
					}
					pan, _ := spatial.NewPanner(b.Channels())
					f = pan.Gains(place)[ch]
				case weave.Pan, weave.Balance:
					f = sided(s.Patch, b.Channels().Channel(ch), j, at)
				default:
					f = s.Patch.Matrix[ch][j]
				}
				out[ch] += g * f * v
			}
		}
	}
	for _, t := range m.r.Tracks {
		for _, s := range m.r.Weave.Sends[t.ID] {
			if s.To == b.ID {
				enter(s, m.track(t, at, !s.Pre))
			}
		}
	}
	for _, o := range m.r.Weave.Buses {
		for _, s := range m.r.Weave.Sends[o.ID] {
			if s.To == b.ID {
				enter(s, m.bus(o, at))
			}
		}
	}
	l := m.r.Weave.Levels[b.ID]
	for c := range out {
		gain := l.GainDB + value(l.Gain, at)
		for _, k := range m.r.Weave.Corrections {
			if k.Off || !slices.Contains(k.Buses, b.ID) {
				continue
			}
			gain += k.GainDB + value(k.Gain, at)
			if !k.FreeLFE || b.Layout != "5.1" || c != 3 {
				gain += value(k.Peaks, at)
			}
		}
		out[c] *= db(gain)
	}
	return out
}

// What is played is what an independent model says, and each sample is the same, bit for bit, however the span is cut, in
// whatever order it is read, and on one core or on several.
func TestAgainstTheModel(t *testing.T) {
	sound, sources := strandsOf(t, 3, 4, modelFrames)
	before := runtime.GOMAXPROCS(0)
	defer runtime.GOMAXPROCS(before)
	for seed := range uint64(testmedia.Sized(3, 25)) {
		rnd := rand.New(rand.NewPCG(seed, 99))
		r := edited(rnd)
		require.NoError(t, r.Check(), "seed %d", seed)
		m := model{r, sound}
		signals := []mix.Signal{mix.All(), mix.Of("t0"), mix.Of("t3"), mix.Of("b2")}
		runtime.GOMAXPROCS(1)
		one := play(t, r, sources, signals...)
		_, end := r.Span()
		whole := make([]audio.Block, len(signals))
		taps := make([]mix.Tap, len(signals))
		for i := range taps {
			taps[i] = func(b audio.Block, at int64) error {
				if whole[i] == nil {
					whole[i] = audio.NewBlock(len(b), int(end))
				}
				for c := range b {
					copy(whole[i][c][at:], b[c])
				}
				return nil
			}
		}
		require.NoError(t, one.Run(context.Background(), 0, end, taps...))
		runtime.GOMAXPROCS(3)
		several := play(t, r, sources, signals...)
		for range 25 {
			at := rnd.Int64N(end)
			n := 1 + rnd.IntN(int(min(mix.BlockFrames, end-at)))
			blocks, err := several.Read(context.Background(), at, n)
			require.NoError(t, err)
			for s, b := range blocks {
				for c := range b {
					for i, v := range b[c] {
						if math.Float64bits(v) != math.Float64bits(whole[s][c][at+int64(i)]) && (v != 0 || s == 0) {
							require.Equal(t, whole[s][c][at+int64(i)], v, "seed %d: signal %d channel %d at %d", seed, s, c, at+int64(i))
						}
					}
				}
			}
			// A few samples of it against the model.
			for range 4 {
				k := at + rnd.Int64N(int64(n))
				near := 1e-9
				if slices.ContainsFunc(slices.Concat(slices.Collect(maps.Values(r.Weave.Sends))...), func(s weave.Send) bool { return s.Patch.Preset == weave.Placed && s.Patch.Moves() }) {
					near = 1e-4 // a place that moves is worked out every 16 samples, and goes straight between them
				}
				late := map[int]map[string][]float64{}
				for o, out := range r.Weave.Outputs {
					if late[out.Delay] == nil {
						late[out.Delay] = map[string][]float64{}
						for _, b := range r.Weave.Buses {
							late[out.Delay][b.ID] = m.bus(b, k-int64(out.Delay))
						}
					}
					want := 0.0
					if out.Bus != "" && !out.Mute {
						want = late[out.Delay][out.Bus][out.Channel] * db(out.TrimDB)
						if out.Invert {
							want = -want
						}
					}
					require.InDelta(t, want, whole[0][o][k], near, "seed %d: output %d at %d", seed, o, k)
				}
				buses := map[string][]float64{}
				for _, b := range r.Weave.Buses {
					buses[b.ID] = m.bus(b, k)
				}
				for s, tr := range map[int]int{1: 0, 2: 3} {
					for c, want := range m.track(r.Tracks[tr], k, true) {
						require.InDelta(t, want, whole[s][c][k], 1e-9, "seed %d: track %d channel %d at %d", seed, tr, c, k)
					}
				}
				for c, want := range buses["b2"] {
					require.InDelta(t, want, whole[3][c][k], near, "seed %d: bus channel %d at %d", seed, c, k)
				}
			}
		}
	}
}

// A clip by itself is what it gives to its track, without the track's gain; the other clips are not heard.
func TestAClipAlone(t *testing.T) {
	sound, sources := strandsOf(t, 1, 2, modelFrames)
	r := oneTrack(reel.Clip{ID: "1", Strands: []string{"0/0"}, At: 0, Length: 1000, FadeOut: reel.Fade{Length: 500}}, reel.Clip{ID: "2", Strands: []string{"0/1"}, At: 500, In: 7, Length: 1000, FadeIn: reel.Fade{Length: 500}})
	r.Tracks[0].GainDB = -20
	blocks, err := play(t, r, sources, mix.Alone("t", "2")).Read(context.Background(), 400, 800)
	require.NoError(t, err)
	for i, v := range blocks[0][0] {
		switch at := 400 + i; {
		case at < 500:
			require.Zero(t, v)
		case at >= 1000:
			require.Equal(t, sound["0/1"][7+at-500], v)
		}
	}
	p, err := mix.Compile(r, 48000, sources)
	require.NoError(t, err)
	for _, s := range []mix.Signal{mix.Alone("t", "none"), mix.Of("none")} {
		_, err := p.Play(s)
		assert.Error(t, err)
	}
}

// A hundred files that sound at once are opened once each, and what was read least recently is closed where there are
// more than may be open.
func TestFilesAreOpenedOnce(t *testing.T) {
	_, sources := strandsOf(t, 140, 1, 30000)
	opened := map[int]int{}
	for _, n := range []int{100, 140} {
		r := reel.New()
		for i := range n {
			id := strconv.Itoa(i)
			r.Tracks = append(r.Tracks, reel.Track{ID: id, Label: id, Layout: "mono", Clips: []reel.Clip{{ID: "c" + id, Strands: []string{id + "/0"}, Length: 30000}}})
			r.Weave.Sends[id] = to("DX", weave.Both, 0)
		}
		pl := play(t, r, sources)
		require.NoError(t, pl.Run(context.Background(), 0, 30000, func(audio.Block, int64) error { return nil }))
		opened[n] = mix.Opened(pl)
		assert.LessOrEqual(t, mix.Open(pl), 128)
	}
	assert.Equal(t, 100, opened[100])
	assert.Greater(t, opened[140], 140, "more than can be open: some had to be opened again")
}

// The high-pass of a strand is the same, bit for bit, from wherever it is read.
func TestTreatedStrandsArePure(t *testing.T) {
	_, sources := strandsOf(t, 1, 1, 200000)
	src, err := sources("0/0")
	require.NoError(t, err)
	src.Treat, src.Drift = treat.Treatment{HighPass: 33, TrimDB: -1, Delay: 1234}, 12.5
	whole, err := mix.OpenStrand(src, 0)
	require.NoError(t, err)
	defer whole.Close()
	want := make([]float64, whole.Frames())
	require.NoError(t, whole.Read(want, 0))
	rnd := rand.New(rand.NewPCG(1, 1))
	s, err := mix.OpenStrand(src, 0)
	require.NoError(t, err)
	defer s.Close()
	for range 200 {
		at := rnd.Int64N(s.Frames())
		got := make([]float64, 1+rnd.IntN(int(min(5000, s.Frames()-at))))
		require.NoError(t, s.Read(got, at))
		require.Equal(t, want[at:at+int64(len(got))], got)
	}
}

// A moving gain is what one at rest is, within 1e-14 of it, and exact where it matters.
func TestFactors(t *testing.T) {
	assert.Equal(t, 1.0, mix.Factor(0))
	assert.Zero(t, mix.Factor(weave.MinGain))
	for v := -95.99; v <= 48; v += 0.0137 {
		require.InEpsilon(t, weave.Factor(v), mix.Factor(v), 1e-14, "%g dB", v)
	}
}
