package edit

import (
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// Borrow lays a stretch of another strand over a span of one track: trimmed to it, crossfaded into what lies beside, with its
// own take's name. Only that track changes; the borrowed line is tied to nothing.
type Borrow struct {
	Track  string `json:"track"`
	From   int64  `json:"from"`
	To     int64  `json:"to"`
	Strand string `json:"strand"`
	In     int64  `json:"in"` // first sample of the strand
	Name   string `json:"name"`
	Fade   int64  `json:"fade,omitempty"` // samples of the crossfades
}

func (o *Borrow) plan(d *draft) error {
	if o.To <= o.From || o.In < 0 || o.Fade < 0 {
		return snag.Refuse("bad_span", "a span ends after it begins")
	}
	i := slices.IndexFunc(d.Tracks, func(t reel.Track) bool { return t.ID == o.Track })
	if i < 0 {
		return snag.Refuse("no_such_track", "the track is not in this reel any more")
	}
	if d.Tracks[i].Channels().Count != 1 {
		return snag.Refuse("not_mono", "track %s has several channels: a line is borrowed strand by strand", d.Tracks[i].Label)
	}
	c := reel.Clip{ID: d.NewID(), Name: o.Name, Strands: []string{o.Strand}, At: o.From, In: o.In, Length: o.To - o.From}
	room, err := d.Frames(c.Strands)
	if err != nil {
		return err
	}
	if n, known := room[o.Strand]; known && o.In+c.Length > n {
		return snag.Refuse("no_room", "%s is shorter than what is to be borrowed of it", o.Name)
	}
	if err := d.makeRoom(o.Track, o.From, o.To, nil); err != nil {
		return err
	}
	if err := d.do(reel.Op{AddClips: &reel.AddClips{Track: o.Track, Clips: []reel.Clip{c}}}); err != nil {
		return err
	}
	if o.Fade == 0 {
		return nil
	}
	lane := d.Tracks[i].Clips
	k := slices.IndexFunc(lane, func(x reel.Clip) bool { return x.ID == c.ID })
	var meet []string // those that run into the next
	fade := Fade{Clips: []string{c.ID}, Alone: true}
	short := &reel.Fade{Length: min(o.Fade, c.Length/2), Shape: reel.EqualPower}
	if k > 0 && lane[k-1].End() == c.At {
		meet = append(meet, lane[k-1].ID)
	} else {
		fade.In = short
	}
	if k+1 < len(lane) && lane[k+1].At == c.End() {
		meet = append(meet, c.ID)
	} else {
		fade.Out = short
	}
	for _, id := range meet {
		// Where there is no sound to fade into they meet hard, and that can be heard and mended.
		err := (&Crossfade{Clips: []string{id}, Length: min(o.Fade, c.Length/2), Shape: reel.EqualPower, Alone: true}).plan(d)
		if err != nil && snag.Of(err).Code != "no_room" {
			return err
		}
	}
	if fade.In == nil && fade.Out == nil {
		return nil
	}
	return fade.plan(d)
}
