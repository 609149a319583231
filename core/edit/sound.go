package edit

import (
	"slices"

	"zestyloom/core/automation"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// Fade gives clips other fades; what is not given stays.
type Fade struct {
	Clips []string   `json:"clips"`
	In    *reel.Fade `json:"in,omitempty"`
	Out   *reel.Fade `json:"out,omitempty"`
	Alone bool       `json:"alone,omitempty"`
}

func (o *Fade) plan(d *draft) error {
	for _, f := range []struct {
		edge Edge
		fade *reel.Fade
	}{{Head, o.In}, {Tail, o.Out}} {
		if f.fade == nil {
			continue
		}
		clips, err := d.atEdge(o.Clips, f.edge, o.Alone)
		if err != nil {
			return err
		}
		for i := range clips {
			c := &clips[i].Clip
			if f.edge == Head {
				c.FadeIn = *f.fade
				c.FadeIn.Length = min(c.FadeIn.Length, c.Length-c.FadeOut.Length)
			} else {
				c.FadeOut = *f.fade
				c.FadeOut.Length = min(c.FadeOut.Length, c.Length-c.FadeIn.Length)
			}
			if c.FadeIn.Length >= 0 && c.FadeOut.Length >= 0 {
				*c = fit(*c)
			}
		}
		if err := d.set(clips); err != nil {
			return err
		}
	}
	return nil
}

// Crossfade fades clips into the next one that touches them: half of its length lies before the place where they meet and
// half after, as far as there is sound. Tied clips that end there get one length.
type Crossfade struct {
	Clips  []string       `json:"clips"`
	Length int64          `json:"length"` // samples; 0 takes a crossfade away
	Shape  reel.FadeShape `json:"shape,omitempty"`
	Alone  bool           `json:"alone,omitempty"`
}

func (o *Crossfade) plan(d *draft) error {
	clips, err := d.atEdge(o.Clips, Tail, o.Alone)
	if err != nil {
		return err
	}
	var both []spot // each clip and the one that follows it
	for _, s := range clips {
		lane := d.Tracks[s.track].Clips
		if s.index+1 < len(lane) && lane[s.index+1].At <= s.End() {
			both = append(both, s, spot{s.track, s.index + 1, lane[s.index+1]})
		}
	}
	if len(both) == 0 {
		return snag.Refuse("nothing_to_fade", "no clip begins where what is chosen ends")
	}
	room, err := d.room(both)
	if err != nil {
		return err
	}
	before, after := o.Length/2, o.Length-o.Length/2
	for i := 0; i < len(both); i += 2 {
		a, b := both[i], both[i+1]
		meet := b.At + (a.End()-b.At)/2
		before = min(before, meet-(b.At-room[b.ID][0]), meet-a.At-a.FadeIn.Length)
		after = min(after, a.End()+room[a.ID][1]-meet, b.End()-b.FadeOut.Length-meet)
	}
	length := before + after
	if o.Length > 0 && length <= 0 {
		return snag.Refuse("no_room", "there is no sound beyond the edges to fade into")
	}
	now := map[string]spot{}
	for i := 0; i < len(both); i += 2 {
		a, b := both[i], both[i+1]
		if s, ok := now[a.ID]; ok {
			a = s
		}
		meet := b.At + (a.End()-b.At)/2
		fade := reel.Fade{Length: length, Shape: o.Shape}
		if length == 0 {
			fade = reel.Fade{}
		}
		a.Length, a.FadeOut = meet+after-a.At, fade
		at := meet - before
		b.In, b.Length, b.At, b.FadeIn = b.In+at-b.At, b.End()-at, at, fade
		now[a.ID], now[b.ID] = a, b
	}
	var all []spot
	for i := range d.Tracks {
		for _, c := range d.Tracks[i].Clips {
			if s, ok := now[c.ID]; ok {
				all = append(all, s)
			}
		}
	}
	return d.set(all)
}

// Set gives clips other properties; what is not given stays.
type Set struct {
	Clips  []string          `json:"clips"`
	GainDB *float64          `json:"gain_db,omitempty"`
	AddDB  float64           `json:"add_db,omitempty"` // added to their gains
	Gain   *automation.Curve `json:"gain,omitempty"`   // an envelope, in their strands' samples
	Invert *bool             `json:"invert,omitempty"`
	Name   *string           `json:"name,omitempty"`
	Note   *string           `json:"note,omitempty"`
	Patch  *weave.Patch      `json:"patch,omitempty"`
	Layout *string           `json:"layout,omitempty"`
	Tied   bool              `json:"tied,omitempty"` // their kin, too
}

func (o *Set) plan(d *draft) error {
	clips, err := d.chosen(o.Clips, !o.Tied)
	if err != nil {
		return err
	}
	for i := range clips {
		c := &clips[i].Clip
		if o.GainDB != nil {
			c.GainDB = *o.GainDB
		}
		if o.AddDB != 0 {
			c.GainDB = max(weave.MinGain, min(weave.MaxGain, c.GainDB+o.AddDB))
		}
		if o.Gain != nil {
			c.Gain = *o.Gain
			if len(c.Gain) == 0 {
				c.Gain = nil
			}
		}
		if o.Invert != nil {
			c.Invert = *o.Invert
		}
		if o.Name != nil {
			c.Name = *o.Name
		}
		if o.Note != nil {
			c.Note = *o.Note
		}
		if o.Patch != nil {
			c.Patch = *o.Patch
		}
		if o.Layout != nil {
			c.Layout = *o.Layout
		}
	}
	return d.set(clips)
}

// Off turns a span off on some tracks: just there, and just these. Clips and their kin stay as they are.
type Off struct {
	From   int64    `json:"from"`
	To     int64    `json:"to"`
	Tracks []string `json:"tracks"`
	Ramp   int64    `json:"ramp,omitempty"` // samples over which the sound goes and comes, inside of the span
}

func (o *Off) plan(d *draft) error {
	return d.within(o.From, o.To, o.Tracks, func(c *reel.Clip, from, to int64) bool {
		// Only where it is on by now: what was off keeps its ends.
		left := []reel.Range{{From: from, To: to}}
		for _, r := range c.Off {
			left = less(left, r.From, r.To)
		}
		for _, r := range left {
			r.Ramp = max(0, min(o.Ramp, (r.To-r.From)/2))
			c.Off = append(c.Off, r)
		}
		slices.SortFunc(c.Off, func(a, b reel.Range) int { return int(max(-1, min(1, a.From-b.From))) })
		return len(left) > 0
	})
}

// On turns a span on again that was off on some tracks.
type On struct {
	From   int64    `json:"from"`
	To     int64    `json:"to"`
	Tracks []string `json:"tracks"`
}

func (o *On) plan(d *draft) error {
	return d.within(o.From, o.To, o.Tracks, func(c *reel.Clip, from, to int64) bool {
		now := less(c.Off, from, to)
		changed := !slices.Equal(now, c.Off)
		c.Off = now
		return changed
	})
}

// less is ranges without what lies from one sample to another. What is left of one keeps its ramp as far as there is room.
func less(all []reel.Range, from, to int64) []reel.Range {
	var out []reel.Range
	for _, r := range all {
		if r.To <= from || to <= r.From {
			out = append(out, r)
			continue
		}
		for _, rest := range []reel.Range{{From: r.From, To: from}, {From: to, To: r.To}} {
			if n := rest.To - rest.From; n > 0 {
				rest.Ramp = min(r.Ramp, n/2)
				out = append(out, rest)
			}
		}
	}
	return out
}

// within changes what lies in a span on some tracks; from and to are given in the strands' samples of each clip.
func (d *draft) within(from, to int64, tracks []string, change func(c *reel.Clip, from, to int64) bool) error {
	if to <= from {
		return snag.Refuse("bad_span", "a span ends after it begins")
	}
	on, err := d.on(tracks)
	if err != nil {
		return err
	}
	var changed []spot
	for _, i := range on {
		for k, c := range d.Tracks[i].Clips {
			if c.At >= to || c.End() <= from {
				continue
			}
			s := spot{i, k, c}
			s.Off = slices.Clone(c.Off)
			if change(&s.Clip, c.In+max(0, from-c.At), c.In+min(c.Length, to-c.At)) {
				changed = append(changed, s)
			}
		}
	}
	if len(changed) == 0 {
		return snag.Refuse("nothing_to_do", "nothing lies in that span on these tracks that would change")
	}
	return d.set(changed)
}

// Dip lowers, or raises, a span on some tracks, with ramps before and after it: drawn into the clips' envelopes.
type Dip struct {
	From   int64    `json:"from"`
	To     int64    `json:"to"`
	Tracks []string `json:"tracks"`
	DB     float64  `json:"db"`
	Ramp   int64    `json:"ramp,omitempty"` // samples, outside of the span
}

func (o *Dip) plan(d *draft) error {
	if o.To <= o.From || o.Ramp < 0 || o.Ramp > 1<<40 {
		return snag.Refuse("bad_span", "a span ends after it begins, and ramps last no less than nothing")
	}
	ramp := max(1, o.Ramp)
	return d.within(o.From-ramp, o.To+ramp, o.Tracks, func(c *reel.Clip, _, _ int64) bool {
		shift := c.In - c.At
		c.Gain = dipped(c.Gain, o.From+shift, o.To+shift-1, ramp, o.DB)
		return true
	})
}

// dipped is a curve with so many dB added from one sample to another, and less and less over a ramp outside of these.
func dipped(was automation.Curve, from, to, ramp int64, db float64) automation.Curve {
	if len(was) == 0 {
		was = automation.Curve{{At: from - ramp}}
	}
	added := automation.Curve{{At: from - ramp}, {At: from, Value: db}, {At: to, Value: db}, {At: to + ramp}}
	if to == from {
		added = slices.Delete(added, 2, 3)
	}
	at := map[int64]automation.Point{}
	for _, p := range was {
		at[p.At] = p
	}
	for _, p := range added {
		if _, there := at[p.At]; !there {
			q := automation.Point{At: p.At, Value: was.Value(p.At)}
			// A smooth way that is divided goes on smoothly, near enough: its points hold exactly.
			for _, w := range was {
				if w.At < p.At {
					q.Shape = w.Shape
				}
			}
			at[p.At] = q
		}
	}
	out := make(automation.Curve, 0, len(at))
	for _, p := range at {
		p.Value = max(weave.MinGain, min(weave.MaxGain, p.Value+added.Value(p.At)))
		out = append(out, p)
	}
	slices.SortFunc(out, func(a, b automation.Point) int { return int(max(-1, min(1, a.At-b.At))) })
	return out
}

// CloseGaps finds gaps between clips of some tracks, no longer than given, and extends the clip before over each, as far
// as there is sound; or, with a tone, fills them with a stretch of the same strand that has none but the room.
type CloseGaps struct {
	From    int64    `json:"from"`
	To      int64    `json:"to"`
	Tracks  []string `json:"tracks,omitempty"`
	Longest int64    `json:"longest"` // samples
	// Tone is the stretch of the reel's time that holds the room: what a clip plays there fills the gaps on its track.
	Tone *Tone `json:"tone,omitempty"`
}

// Tone is where the room is heard alone.
type Tone struct {
	From int64 `json:"from"`
	To   int64 `json:"to"`
	Fade int64 `json:"fade,omitempty"` // samples over which it comes and goes, within what it lies beside
}

func (o *CloseGaps) plan(d *draft) error {
	on, err := d.on(o.Tracks)
	if err != nil {
		return err
	}
	type gap struct {
		track    int
		from, to int64
		before   spot
	}
	var gaps []gap
	for _, i := range on {
		lane := d.Tracks[i].Clips
		for k := 0; k+1 < len(lane); k++ {
			from, to := lane[k].End(), lane[k+1].At
			if to > from && to-from <= o.Longest && from < o.To && to > o.From {
				gaps = append(gaps, gap{i, from, to, spot{i, k, lane[k]}})
			}
		}
	}
	if len(gaps) == 0 {
		return snag.Refuse("nothing_to_do", "no gap of that length or shorter lies there")
	}
	if o.Tone == nil {
		var clips []spot
		for _, g := range gaps {
			clips = append(clips, g.before)
		}
		room, err := d.room(clips)
		if err != nil {
			return err
		}
		var longer []spot
		for i, g := range gaps {
			s := clips[i]
			if by := min(g.to-g.from, room[s.ID][1]); by > 0 {
				s.Length += by
				longer = append(longer, s)
			}
		}
		if len(longer) == 0 {
			return snag.Refuse("no_room", "the clips before the gaps have no more sound: choose a stretch of room tone to fill them with")
		}
		return d.set(longer)
	}
	filled := 0
	for _, g := range gaps {
		ok, err := o.fill(d, g.track, g.from, g.to)
		if err != nil {
			return err
		}
		if ok {
			filled++
		}
	}
	if filled == 0 {
		return snag.Refuse("nothing_to_do", "none of these tracks plays anything in the stretch that was chosen as room tone")
	}
	return nil
}

// fill lays room tone into a gap of a track, as often as it takes, each piece faded into the next and into what lies
// beside.
func (o *CloseGaps) fill(d *draft, track int, from, to int64) (bool, error) {
	t := d.Tracks[track]
	k := slices.IndexFunc(t.Clips, func(c reel.Clip) bool { return c.At <= o.Tone.From && c.End() >= o.Tone.To && o.Tone.To > o.Tone.From })
	if k < 0 {
		return false, nil
	}
	source := t.Clips[k]
	in, length := source.In+o.Tone.From-source.At, o.Tone.To-o.Tone.From
	fade := max(0, min(o.Tone.Fade, length/4))
	// It reaches into its neighbours by the fade: they fade out and in under it.
	before := slices.IndexFunc(t.Clips, func(c reel.Clip) bool { return c.End() == from })
	after := slices.IndexFunc(t.Clips, func(c reel.Clip) bool { return c.At == to })
	lead := min(fade, t.Clips[before].Length-t.Clips[before].FadeIn.Length)
	trail := min(fade, t.Clips[after].Length-t.Clips[after].FadeOut.Length)
	a, b := spot{track, before, t.Clips[before]}, spot{track, after, t.Clips[after]}
	shape := reel.EqualPower // rooms don't add up: they are as loud throughout by power
	a.FadeOut, b.FadeIn = reel.Fade{Length: lead, Shape: shape}, reel.Fade{Length: trail, Shape: shape}
	a.Clip, b.Clip = fit(a.Clip), fit(b.Clip)
	var pieces []reel.Clip
	for at, end := from-lead, to+trail; at < end; {
		c := reel.Clip{ID: d.NewID(), Name: "room " + source.Name, Strands: source.Strands, Layout: source.Layout, Patch: source.Patch, GainDB: source.GainDB, Invert: source.Invert, At: at, In: in, Length: min(length, end-at)}
		c.FadeIn = reel.Fade{Length: fade, Shape: shape}
		if at == from-lead {
			c.FadeIn.Length = lead
		}
		c.FadeOut = reel.Fade{Length: fade, Shape: shape}
		if c.End() == end {
			c.FadeOut.Length = trail
		} else if end-c.End()+fade < 2*fade { // what is left would be all fade: this one is shorter
			c.Length -= 2 * fade
		}
		pieces = append(pieces, fit(c))
		if c.End() == end {
			break
		}
		at = c.End() - fade
	}
	if err := d.set([]spot{a, b}); err != nil {
		return false, err
	}
	return true, d.do(reel.Op{AddClips: &reel.AddClips{Track: t.ID, Clips: pieces}})
}
