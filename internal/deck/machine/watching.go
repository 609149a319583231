package machine

import (
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/snag"
	"zestyloom/internal/deck"
)

// watching reads meters of what arrives, apart from what takes it in: a recording never waits for a meter.
type watching struct {
	session line.Session
	coming  chan heard
	over    atomic.Bool // what still waits is not looked at any more
	ended   sync.WaitGroup

	mu       sync.Mutex
	channels []*watched
	loud     *loud
}

type heard struct {
	stream int
	at     int64
	late   bool
	block  audio.Block
}

// watched are the meters of a channel.
type watched struct {
	meter     *meter.Channel
	name      string
	ppm, held float64
	over      bool
	// The sample peaks of this moment and of the one before: whoever looks sees each for a moment, however many look.
	peak, before float64
	frames       int // of this moment
}

// moment is how long a sample peak is shown at the least, in samples.
const moment = line.Rate / 20

// waiting is how many packets meters may be behind; more are passed over by them.
const waiting = 8192

func watch(s line.Session) *watching {
	w := &watching{session: s, coming: make(chan heard, waiting)}
	for _, st := range s.Streams {
		for _, name := range st.Channels {
			w.channels = append(w.channels, &watched{meter: meter.NewChannel(line.Rate), name: name})
		}
	}
	w.ended.Go(w.run)
	return w
}

func (w *watching) close() {
	w.over.Store(true)
	close(w.coming)
	w.ended.Wait()
}

// add hands what arrived to the meters.
func (w *watching) add(i int, a *line.Arrived) {
	n := len(w.session.Streams[i].Channels)
	b := audio.NewBlock(n, a.Frames)
	for c := range n {
		audio.DecodeChannel(b[c], a.Sound, audio.S24, n, c)
	}
	select {
	case w.coming <- heard{i, a.At, a.Late, b}:
	default:
	}
}

func (w *watching) run() {
	for h := range w.coming {
		if w.over.Load() {
			continue
		}
		w.mu.Lock()
		if !h.late {
			first := w.session.Streams[h.stream].First
			for c, samples := range h.block {
				v := w.channels[first+c]
				r := v.meter.Add(samples)
				if v.frames += len(samples); v.frames > moment {
					v.before, v.peak, v.frames = v.peak, 0, 0
				}
				v.peak, v.ppm, v.held = max(v.peak, r.Peak), r.PPM, max(v.held, r.Peak)
				v.over = v.over || r.Over > 0
			}
		}
		if w.loud != nil {
			w.loud.add(h)
		}
		w.mu.Unlock()
	}
}

// read puts the readings into a state.
func (w *watching) read(s *deck.State) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, v := range w.channels {
		c := deck.Channel{Name: v.name, Over: v.over}
		if s.Running {
			c.Peak, c.PPM = level(max(v.peak, v.before)), level(v.ppm)
		}
		c.Held = level(v.held)
		s.Channels = append(s.Channels, c)
	}
	if l := w.loud; l != nil {
		s.Loudness = &deck.Loudness{First: l.first + 1, Layout: l.layout.Name,
			Momentary: finite(l.now.Momentary), ShortTerm: finite(l.now.ShortTerm), Integrated: finite(l.now.Integrated), TruePeak: finite(l.now.TruePeak)}
	}
}

func level(v float64) *float64 { return finite(audio.Decibels(v)) }

func finite(v float64) *float64 {
	if math.IsInf(v, 0) || math.IsNaN(v) {
		return nil
	}
	return &v
}

// loud measures the loudness of channels that lie beside each other, of whichever streams. What is lost is silence to it.
type loud struct {
	session line.Session
	first   int
	layout  audio.Layout
	meter   *loudness.Live
	now     loudness.Readings

	from   int64         // place of the first frame that is not measured yet; -1 for none
	frames audio.Block   // from there on
	to     map[int]int64 // up to where each of the streams has come
}

// held is how many frames are kept until all of the streams have come to them.
const held = line.Rate / 2

func measure(s line.Session, first int, layout audio.Layout) (*loud, error) {
	m, err := loudness.NewLive(layout, line.Rate)
	if err != nil {
		return nil, err
	}
	none := math.Inf(-1)
	return &loud{session: s, first: first, layout: layout, meter: m, now: loudness.Readings{Momentary: none, ShortTerm: none, Integrated: none, TruePeak: none},
		from: -1, frames: audio.NewBlock(layout.Count, held), to: map[int]int64{}}, nil
}

func (l *loud) add(h heard) {
	st := l.session.Streams[h.stream]
	last := l.first + l.layout.Count
	if st.First >= last || st.First+len(st.Channels) <= l.first {
		return
	}
	n := int64(h.block.Frames())
	if l.from < 0 || h.at+n <= l.from-held || h.at >= l.from+2*held {
		// It begins, or goes on somewhere else.
		l.from = h.at
		clear(l.to)
		for _, ch := range l.frames {
			clear(ch)
		}
	}
	for h.at+n > l.from+held { // a stream that does not come is not waited for any longer
		l.take(min(held, h.at+n-l.from-held))
	}
	if h.at < l.from {
		return // too late
	}
	for c, samples := range h.block {
		if to := st.First + c - l.first; to >= 0 && to < l.layout.Count {
			copy(l.frames[to][h.at-l.from:], samples)
		}
	}
	l.to[h.stream] = max(l.to[h.stream], h.at+n)
	whole := h.at + n
	for i, s := range l.session.Streams {
		if s.First < last && s.First+len(s.Channels) > l.first {
			whole = min(whole, l.to[i])
		}
	}
	// Some are kept for packets that come late.
	if whole -= line.Rate / 20; whole > l.from {
		l.take(whole - l.from)
	}
}

// take measures so many frames.
func (l *loud) take(n int64) {
	b := make(audio.Block, len(l.frames))
	for c, ch := range l.frames {
		b[c] = ch[:n]
	}
	l.now = l.meter.Add(b)
	for _, ch := range l.frames {
		copy(ch, ch[n:])
		clear(ch[int64(len(ch))-n:])
	}
	l.from += n
}

// layouts are those that the loudness meter may be set to.
var layouts = []string{"mono", "stereo", "5.1", "7.1", "7.1.4"}

// Measure begins a loudness measurement of the channels from one on (from 1), as a layout.
func (d *Deck) Measure(first int, layout string) error {
	d.mu.Lock()
	w := d.watching
	d.mu.Unlock()
	if w == nil {
		return snag.Refuse("no_stream", "nothing is listened for: give the deck a session description first")
	}
	if !slices.Contains(layouts, layout) {
		return snag.Refuse("bad_layout", "there is no layout %q: one of %v was expected", layout, layouts)
	}
	l, err := audio.ParseLayout(layout)
	if err != nil {
		return snag.Refuse("bad_layout", "%w", err)
	}
	if first < 1 || first-1+l.Count > len(w.channels) {
		return snag.Refuse("no_such_channel", "%s from channel %d on takes channels up to %d, and there are %d", layout, first, first-1+l.Count, len(w.channels))
	}
	m, err := measure(w.session, first-1, l)
	if err != nil {
		return err
	}
	w.mu.Lock()
	w.loud = m
	w.mu.Unlock()
	return nil
}
