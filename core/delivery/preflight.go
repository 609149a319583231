package delivery

import (
	"slices"
	"strings"

	"zestyloom/core/reel"
	"zestyloom/core/render"
	"zestyloom/core/snag"
)

// Finding is a snag found before an order, with how grave it is and where it is mended.
type Finding struct {
	snag.Snag
	Stops bool   `json:"stops"` // the delivery would not be accepted, or not be what was meant
	Stage string `json:"stage"` // where it is mended: reel, weave or delivery
	Track string `json:"track"` // the track's ID, if it is about one
	// OnPurpose says that somebody has decided it so: worth saying, and nothing to be mended.
	OnPurpose bool `json:"on_purpose"`
}

// Preflight lists what stands between a plan and an accepted delivery. overs are the places where
// outputs clip.
func Preflight(p Plan, overs []render.Over) []Finding {
	out := []Finding{}
	add := func(stops bool, stage, track, code, format string, args ...any) {
		out = append(out, Finding{Snag: snag.New(code, format, args...), Stops: stops, Stage: stage, Track: track})
	}
	r, s := p.Reel, p.Order.Spec
	start, end := r.Span()
	if end == start {
		add(true, "reel", "", "empty_reel", "the reel is empty: take a take into it first")
	}
	outs := r.Weave.Outputs
	if len(outs) != len(s.Outputs) {
		add(true, "weave", "", "width", "the weave has %d outputs and the spec asks for %d", len(outs), len(s.Outputs))
	}
	for i, name := range s.Outputs {
		if i < len(outs) && !strings.EqualFold(outs[i].Name, name) {
			add(true, "weave", "", "order", "output %d is %s and the spec asks for %s there", i+1, outs[i].Name, name)
		}
	}
	for i, o := range outs {
		if o.Stem == "" {
			add(false, "weave", "", "output_silent", "output %d (%s) carries no stem: it will be silence", i+1, o.Name)
			continue
		}
		fed := slices.ContainsFunc(r.Tracks, func(t reel.Track) bool {
			rt, ok := r.Weave.Routes[t.ID]
			if !ok || rt.Stem != o.Stem || t.Off || len(t.Clips) == 0 {
				return false
			}
			st, _ := r.Weave.Stem(o.Stem)
			return rt.Weights(st)[o.Channel] != 0
		})
		if !fed {
			add(false, "weave", "", "output_silent", "nothing feeds output %d (%s): it will be silence", i+1, o.Name)
		}
	}
	carried := map[string]bool{}
	for _, o := range outs {
		carried[o.Stem] = true
	}
	for _, t := range r.Tracks {
		rt, routed := r.Weave.Routes[t.ID]
		st, _ := r.Weave.Stem(rt.Stem)
		switch {
		case len(t.Clips) == 0:
		case t.Off:
			add(false, "reel", t.ID, "track_off", "track %s is off and will not be heard", t.Label)
			out[len(out)-1].OnPurpose = true
		case !routed:
			add(false, "weave", t.ID, "no_stem", "track %s has no stem and will not be heard", t.Label)
		case !carried[rt.Stem]:
			add(false, "weave", t.ID, "stem_not_out", "track %s goes to stem %s, which is on no output", t.Label, st.Name)
		}
		for _, c := range t.Clips {
			if c.Unplaced && !t.Off {
				add(false, "reel", t.ID, "unplaced", "%s on track %s has no start: it was laid at the end, and nobody has said that it belongs there; line it up, or say in Reel that it does", c.Name, t.Label)
			}
			if c.At < start {
				add(false, "reel", t.ID, "before_start", "%s on track %s begins before the reel's start; what lies before it is left out", c.Name, t.Label)
			}
		}
	}
	for _, o := range overs {
		add(false, "weave", "", "clips", "output %d (%s) clips: %d samples beyond full scale, the first at %s, the worst %+.1f dB over",
			o.Output+1, outs[o.Output].Name, o.Count, p.Rate.FormatSamples(o.At, int64(s.SampleRate)), o.PeakDB)
	}
	return out
}

// Stops reports whether any finding forbids the order.
func Stops(fs []Finding) bool {
	return slices.ContainsFunc(fs, func(f Finding) bool { return f.Stops })
}
