package delivery

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
	"zestyloom/core/treat"
	"zestyloom/core/weave"
)

// Origin is a stretch of a recording that a channel of a delivery holds, and how it comes there.
type Origin struct {
	From         int64  `json:"from"` // frames of the delivery's files
	To           int64  `json:"to"`
	FromTimecode string `json:"from_timecode"`
	ToTimecode   string `json:"to_timecode"`
	File         string `json:"file"` // the recording's name
	Hash         string `json:"hash"`
	Channel      int    `json:"channel"` // of the recording, from 1
	In           int64  `json:"in"`      // its first sample, at the reel's rate
	Clip         string `json:"clip"`
	Track        string `json:"track"`
	// GainDB is that of clip, track and weave at rest, together; nil for silence. Moves says that something on the way moves
	// beside it: a curve, a fade, a place.
	GainDB *float64 `json:"gain_db"`
	Moves  bool     `json:"moves"`
	Ways   string   `json:"ways"` // how the track is sent, in words
	// Treated is what is done to the recording, the track and the buses on the way, in words; empty where nothing is.
	Treated string `json:"treated,omitempty"`
}

// Origins lists what a channel of a file is made of, in the order of time: at any moment, those whose stretches hold it.
func (p Plan) Origins(file, channel int) (out []Origin) {
	ch := p.Files[file].Channels[channel]
	factors := p.factorsTo(ch)
	if factors == nil {
		return nil
	}
	w, rate := p.Reel.Weave, int64(p.Rates.Files)
	routed := p.Reel.Routed()
	for k, t := range p.Reel.Tracks {
		if t.Off || !slices.ContainsFunc(factors[k], func(f float64) bool { return f != 0 }) {
			continue
		}
		moves := len(t.Gain) > 0 || p.moving(t.ID)
		for _, c := range t.Clips {
			from, to := max(c.At, p.From), min(c.End(), p.To)
			if from >= to {
				continue
			}
			straight := len(c.Strands) == t.Channels().Count && c.Patch.Preset == weave.Plain
			for s, id := range c.Strands {
				factor := slices.MaxFunc(factors[k], func(a, b float64) int { return cmp.Compare(math.Abs(a), math.Abs(b)) })
				if straight {
					factor = factors[k][s]
				}
				src, ok := p.Sources[id]
				if !ok || factor == 0 {
					continue
				}
				o := Origin{
					From: p.Lead + scaled(from-p.From, p.Rates.Files, p.Rates.Reel), To: p.Lead + scaled(to-p.From, p.Rates.Files, p.Rates.Reel),
					File: src.Name, Hash: src.Hash, Channel: src.Channel + 1, In: c.In + from - c.At, Clip: c.Name, Track: t.Label,
					GainDB: finite(c.GainDB + t.GainDB + audio.Decibels(factor)), Ways: w.Ways(routed[k]), Treated: p.treated(t, src),
					Moves: moves || len(c.Gain) > 0 || c.FadeIn.Length > 0 || c.FadeOut.Length > 0 || len(c.Off) > 0,
				}
				o.FromTimecode, o.ToTimecode = p.Rate.FormatSamples(p.Start+o.From, rate), p.Rate.FormatSamples(p.Start+o.To, rate)
				out = append(out, o)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Origin) int { return cmp.Compare(a.From, b.From) })
	return out
}

// OriginsAt lists what sounds on an output of a reel, or on a channel of one of its buses, at a sample of the reel's time.
// Frames count from the reel's start. sources says what the reel's strands are, by their IDs.
func OriginsAt(r reel.Reel, tc timecode.Rate, rate int, sources map[string]Source, ch Channel, at int64) []Origin {
	p := Plan{Reel: r, Rate: tc, Rates: Rates{Reel: rate, Files: rate}, Sources: sources, Files: []File{{Channels: []Channel{ch}}}}
	p.From, p.To = r.Span()
	p.Start = p.From
	return slices.DeleteFunc(p.Origins(0, 0), func(o Origin) bool { return at < p.From+o.From || at >= p.From+o.To })
}

// factorsTo is by what the channels of each track come into a channel of a file; nil for one that holds silence.
func (p Plan) factorsTo(ch Channel) [][]float64 {
	tracks := p.Reel.Routed()
	out := make([][]float64, len(tracks))
	for k, t := range tracks {
		out[k] = make([]float64, max(1, t.Layout.Count))
		if ch.Signal == t.ID && ch.Of < t.Layout.Count {
			out[k][ch.Of] = 1
			return out
		}
	}
	w := p.Reel.Weave
	switch {
	case ch.Signal != "": // as if it were an output
		w.Outputs, w.Groups = []weave.Output{{Name: "it", Bus: ch.Signal, Channel: ch.Of}}, nil
	case ch.Output >= 0 && ch.Output < len(w.Outputs):
		w.Outputs, w.Groups = []weave.Output{w.Outputs[ch.Output]}, nil
	default:
		return nil
	}
	product, err := w.Product(tracks)
	if err != nil {
		return nil
	}
	for k, row := range product[0] {
		if len(row) > 0 {
			out[k] = row
		}
	}
	return out
}

// treated is what is done to a source, the track that it lies on, and the buses that it comes through, in words.
func (p Plan) treated(t reel.Track, src Source) string {
	var parts []string
	say := func(of, says string) {
		if says != "" {
			parts = append(parts, of+": "+says)
		}
	}
	say("recording", src.Treat.Chain.Says())
	say("track", treat.Says(t.Treat, t.TreatMoves))
	w := p.Reel.Weave
	for _, id := range w.Reach(t.ID) {
		b, _ := w.Bus(id)
		say(b.Name, treat.Says(w.Levels[id].Treat, w.Levels[id].TreatMoves))
	}
	return strings.Join(parts, "; ")
}

// moving reports whether some gain or place on a track's ways moves.
func (p Plan) moving(track string) bool {
	w := p.Reel.Weave
	for _, id := range append([]string{track}, w.Reach(track)...) {
		if w.Gain(id).Moves() || slices.ContainsFunc(w.Sends[id], func(s weave.Send) bool { return len(s.Gain) > 0 || s.Patch.Moves() }) {
			return true
		}
	}
	return false
}
