// Package readiness says what stands between a production and an accepted delivery: every snag of it comes from here.
// What it says of a row is kept with the row when it is written.
package readiness

import (
	"fmt"
	"slices"
	"strings"

	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// Finding is a snag found before an order, with how grave it is and where it is mended.
type Finding struct {
	snag.Snag
	Stops bool `json:"stops"` // the delivery would not be accepted, or not be what was meant
	// Asks says that it stops the order until somebody has accepted its code: what is ordered all the same lacks something.
	Asks  bool   `json:"asks"`
	Stage string `json:"stage"` // where it is mended: intake, reel, weave or delivery
	Track string `json:"track"` // the track's ID, if it is about one
	// OnPurpose says that somebody has decided it so: worth saying, and nothing to be mended.
	OnPurpose bool `json:"on_purpose"`
}

// Lost is that a file of the reel is not there, or not what it was: nothing can be made of it until it is back.
func Lost(why snag.Snag) Finding { return Finding{Snag: why, Stops: true, Stage: "intake"} }

// Plan lists what stands between a plan and an accepted delivery. clipping are the places where
// outputs clip.
func Plan(p delivery.Plan, clipping []mix.Clipping) []Finding {
	out := []Finding{}
	add := func(stops bool, stage, track, code, format string, args ...any) {
		out = append(out, Finding{Snag: snag.New(code, format, args...), Stops: stops, Stage: stage, Track: track})
	}
	r := p.Reel
	start, end := r.Span()
	if end == start {
		add(true, "reel", "", "empty_reel", "the reel is empty: take a take into it first")
	}
	for _, n := range p.Problems {
		add(n.Stops, n.Stage, "", n.Code, "%s", n.Message)
		out[len(out)-1].Asks = n.Asks
	}
	ask := func(stage, track, code, format string, args ...any) {
		add(false, stage, track, code, format, args...)
		out[len(out)-1].Asks = true
	}
	outs := r.Weave.Outputs
	product, err := r.Product()
	if err != nil {
		why := snag.Of(err)
		add(true, "weave", "", why.Code, "%s", why.Message)
		return out
	}
	carried, used := p.Carried(), p.Outputs()
	var nothing, unfed []int
	var starved []string
	for i, o := range outs {
		if !used[i] {
			continue
		}
		if o.Bus == "" {
			nothing = append(nothing, i+1)
			continue
		}
		fed := false
		for k, t := range r.Tracks {
			fed = fed || !t.Off && len(t.Clips) > 0 && slices.ContainsFunc(product[i][k], func(f float64) bool { return f != 0 })
		}
		if b, _ := r.Weave.Bus(o.Bus); !fed {
			unfed = append(unfed, i+1)
			if !slices.Contains(starved, b.Name) {
				starved = append(starved, b.Name)
			}
		}
	}
	if nothing != nil {
		ask("weave", "", "output_silent", "%s: %s", numbered(nothing), map[bool]string{true: "it carries no stem", false: "they carry no stem"}[len(nothing) == 1])
	}
	if unfed != nil {
		ask("weave", "", "output_silent", "%s: nothing that sounds is sent to %s", numbered(unfed), strings.Join(starved, ", "))
	}
	for _, t := range r.Tracks {
		send, routed := r.Weave.Send(t.ID)
		switch {
		case len(t.Clips) == 0:
		case t.Off:
			add(false, "reel", t.ID, "track_off", "track %s is off and will not be heard", t.Label)
			out[len(out)-1].OnPurpose = true
		case len(p.Order.Only) > 0 && !carried[t.ID]: // the order says what goes in
		case !routed && !carried[t.ID]:
			ask("weave", t.ID, "no_stem", "track %s has no stem and will not be heard", t.Label)
		case !carried[t.ID] && !slices.ContainsFunc(r.Weave.Reach(t.ID), func(bus string) bool { return carried[bus] }):
			b, _ := r.Weave.Bus(send.To)
			ask("weave", t.ID, "stem_not_out", "track %s goes to stem %s, which is in none of the files", t.Label, b.Name)
		}
		if routed && len(t.Clips) > 0 && !t.Off {
			none, twice := unsummed(r.Weave, t.ID)
			if none {
				add(false, "weave", t.ID, "in_no_mix", "track %s is in a stem, and in none of the mixes", t.Label)
			}
			for _, mix := range twice {
				add(false, "weave", t.ID, "twice_in_mix", "track %s comes into %s twice", t.Label, mix)
			}
		}
		for _, s := range r.Weave.Sends[t.ID] {
			if to, ok := r.Weave.Bus(s.To); ok && !t.Off && len(t.Clips) > 0 && (s.Patch.Preset == weave.Folded || s.Patch.Preset == weave.Decoded) {
				add(false, "weave", t.ID, "folded", "track %s is %s and %s %s: it is %s", t.Label, t.Layout, to.Name, to.Layout, s.Patch.Says(t.Channels(), to.Channels()))
				out[len(out)-1].OnPurpose = true
			}
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
	for _, o := range clipping {
		if !used[o.Output] {
			continue
		}
		add(false, "weave", "", "clips", "output %d (%s) clips: %d samples beyond full scale, the first at %s, the worst %+.1f dB over",
			o.Output+1, outs[o.Output].Name, o.Count, p.Rate.FormatSamples(o.At, int64(p.Rates.Reel)), o.PeakDB)
	}
	return out
}

// numbered says which outputs would be silent: "outputs 1 to 6 and 9 would be silent".
func numbered(outputs []int) string {
	var runs []string
	for i := 0; i < len(outputs); {
		k := i
		for k+1 < len(outputs) && outputs[k+1] == outputs[k]+1 {
			k++
		}
		switch k - i {
		case 0:
			runs = append(runs, fmt.Sprint(outputs[i]))
		case 1:
			runs = append(runs, fmt.Sprint(outputs[i]), fmt.Sprint(outputs[k]))
		default:
			runs = append(runs, fmt.Sprintf("%d to %d", outputs[i], outputs[k]))
		}
		i = k + 1
	}
	if len(outputs) == 1 {
		return "output " + runs[0] + " would be silent"
	}
	last := len(runs) - 1
	if last == 0 {
		return "outputs " + runs[0] + " would be silent"
	}
	return "outputs " + strings.Join(runs[:last], ", ") + " and " + runs[last] + " would be silent"
}

// unsummed says of a track whether it is in none of a weave's mixes, where there are some, and names those it is in twice.
func unsummed(w weave.Weave, track string) (none bool, twice []string) {
	mixes, in := 0, 0
	for _, b := range w.Buses {
		if b.Role != weave.Mix {
			continue
		}
		mixes++
		n := w.Paths(track, b.ID)
		if n > 0 {
			in++
		}
		if n > 1 {
			twice = append(twice, b.Name)
		}
	}
	return mixes > 0 && in == 0, twice
}

// Count counts by stage what has to be mended: what somebody has decided, and what is but worth saying before an order,
// is not.
func Count(fs []Finding) map[string]int {
	out := map[string]int{}
	for _, f := range fs {
		if !f.OnPurpose && f.Code != "empty_reel" && f.Code != "output_silent" {
			out[f.Stage]++
		}
	}
	return out
}

// Stops reports whether any finding forbids the order, whatever is accepted.
func Stops(fs []Finding) bool {
	return slices.ContainsFunc(fs, func(f Finding) bool { return f.Stops })
}

// Open lists the findings that stand in the way of an order: those that forbid it, and those that ask and whose codes nobody has
// accepted.
func Open(fs []Finding, accept []string) (out []Finding) {
	for _, f := range fs {
		if f.Stops || f.Asks && !slices.Contains(accept, f.Code) {
			out = append(out, f)
		}
	}
	return out
}

// Codes are those of findings, each once, in order.
func Codes(fs []Finding) (out []string) {
	for _, f := range fs {
		if !slices.Contains(out, f.Code) {
			out = append(out, f.Code)
		}
	}
	return out
}
