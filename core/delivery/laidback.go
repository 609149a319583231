package delivery

import (
	"fmt"

	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// LaidBack lays the files of a plan as they were sent: every stem, and every part whose stem is in no file, is a track of
// its own that goes into the bus it was; mixes are sums of them again, and as they were delivered they lie on tracks that
// are off. strand names the sound of a channel of a file. What can't be so is said. A plan whose files hold no stem by
// itself is laid by its channels' names.
func (p Plan) LaidBack(strand func(file, channel int) string, newID func() string) (reel.Reel, []string, error) {
	w := p.Reel.Weave.Clone()
	r := reel.Reel{Tracks: []reel.Track{}, Weave: w}
	start := p.From
	r.Start = &start
	length := p.To - p.From
	r.Length = &length
	for _, t := range p.Reel.Tracks {
		delete(w.Sends, t.ID)
	}
	sets := map[string]Measured{}
	var order []string
	for _, s := range p.Sets {
		if b, ok := w.Bus(s.Bus); ok && b.Channels().Count == len(s.Places) {
			if _, twice := sets[b.ID]; !twice {
				sets[b.ID], order = s, append(order, b.ID)
			}
		}
	}
	lays := func(id string) bool {
		b, _ := w.Bus(id)
		_, of := sets[b.Of]
		return b.Role == weave.Stem || b.Role == weave.Part && !of
	}
	var says []string
	stems := 0
	for _, id := range order {
		b, _ := w.Bus(id)
		t := reel.Track{ID: newID(), Label: b.Name, Layout: b.Layout}
		clip := reel.Clip{ID: newID(), Name: b.Name, At: p.From, In: scaled(p.Lead, p.Rates.Reel, p.Rates.Files), Length: length}
		for _, at := range sets[id].Places {
			clip.Strands = append(clip.Strands, strand(at.File, at.Channel))
		}
		t.Clips = []reel.Clip{clip}
		if lays(id) {
			stems++
			w.Sends[t.ID] = []weave.Send{{To: id}}
			w = w.WithoutGains(id) // they are in the files already
		} else {
			t.Label, t.Off = b.Name+" as delivered", true
		}
		r.Tracks = append(r.Tracks, t)
	}
	if stems == 0 {
		back, err := LayBack(p.given(strand), newID)
		return back, []string{"no file holds a stem by itself: every group of channels is a stem of its own"}, err
	}
	for _, b := range w.Buses {
		if b.Role != weave.Stem {
			continue
		}
		if _, there := sets[b.ID]; there || p.partly(b.ID, sets) || !p.fed(b.ID) {
			continue
		}
		says = append(says, fmt.Sprintf("%s is in no file by itself: mixes that are made anew are without it", b.Name))
	}
	r.Weave = w
	return r, says, r.Check()
}

// partly reports whether parts of a stem are delivered by themselves.
func (p Plan) partly(stem string, sets map[string]Measured) bool {
	for _, b := range p.Reel.Weave.Buses {
		if _, there := sets[b.ID]; there && b.Of == stem {
			return true
		}
	}
	return false
}

// fed reports whether anything that is heard comes into a bus.
func (p Plan) fed(bus string) bool {
	for _, t := range p.Reel.Tracks {
		if !t.Off && len(t.Clips) > 0 && p.Reel.Weave.Paths(t.ID, bus) > 0 {
			return true
		}
	}
	return false
}

// given are the files of a plan as anybody's.
func (p Plan) given(strand func(file, channel int) string) (out []Given) {
	for i, f := range p.Files {
		g := Given{Name: f.Name, Start: scaled(p.Start, p.Rates.Reel, p.Rates.Files), Frames: scaled(p.Frames, p.Rates.Reel, p.Rates.Files)}
		for c, ch := range f.Channels {
			g.Labels, g.Strands = append(g.Labels, ch.Name), append(g.Strands, strand(i, c))
		}
		out = append(out, g)
	}
	return out
}
