package reel

import (
	"encoding/json"
	"fmt"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/weave"
)

// Format is the version in which reels and operations are written. Those of the first are read, too: they had mono
// tracks of clips of one strand, a route for each, and stems. A reel or operation says in no other way which it is than
// by what it holds.
const Format = 2

// MarshalJSON writes a reel with its format.
func (r Reel) MarshalJSON() ([]byte, error) {
	type plain Reel
	return json.Marshal(struct {
		Format int `json:"format"`
		plain
	}{Format, plain(r)})
}

// UnmarshalJSON reads a reel of any format up to this one.
func (r *Reel) UnmarshalJSON(b []byte) error {
	type plain Reel
	var v struct {
		Format int `json:"format"`
		plain
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	if v.Format > Format {
		return fmt.Errorf("a reel of format %d was written by a newer version of the program: this one reads up to %d", v.Format, Format)
	}
	*r = Reel(v.plain)
	return nil
}

// UnmarshalJSON reads a track; one without a layout is of the first format, and mono.
func (t *Track) UnmarshalJSON(b []byte) error {
	type plain Track
	if err := json.Unmarshal(b, (*plain)(t)); err != nil {
		return err
	}
	if t.Layout == "" {
		t.Layout = mono
	}
	return nil
}

// UnmarshalJSON reads a clip. In the first format it had one strand, and the two sides of a mid-side pair were named by
// both of its strands: mid+side, and mid~side for their difference.
func (c *Clip) UnmarshalJSON(b []byte) error {
	type plain Clip
	var v struct {
		plain
		Strand string `json:"strand"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	*c = Clip(v.plain)
	if v.Strand == "" {
		return nil
	}
	for by, sign := range map[string]float64{"+": 1, "~": -1} {
		if mid, side, pair := strings.Cut(v.Strand, by); pair {
			c.Strands = []string{mid, side}
			c.Patch = weave.Patch{Preset: weave.Custom, Matrix: audio.Matrix{{1, sign}}}
			return nil
		}
	}
	c.Strands = []string{v.Strand}
	return nil
}

// UnmarshalJSON reads an operation as it is written now, and as it was in the first format.
func (o *Op) UnmarshalJSON(b []byte) error {
	type plain Op
	var v struct {
		plain
		AddTrack *struct {
			AddTrack
			Route *weave.Route `json:"route"`
		} `json:"add_track"`
		AddClip *struct {
			Track string `json:"track"`
			Clip  Clip   `json:"clip"`
		} `json:"add_clip"`
		RemoveClip *struct {
			Track string `json:"track"`
			ID    string `json:"id"`
		} `json:"remove_clip"`
		SetRoute *struct {
			Track string       `json:"track"`
			Route *weave.Route `json:"route"`
		} `json:"set_route"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	*o = Op(v.plain)
	sends := func(r *weave.Route) []weave.Send {
		if r == nil {
			return nil
		}
		return r.Sends()
	}
	if a := v.AddTrack; a != nil {
		if o.AddTrack = &a.AddTrack; a.Route != nil {
			o.AddTrack.Sends = sends(a.Route)
		}
	}
	if a := v.AddClip; a != nil {
		o.AddClips = &AddClips{a.Track, []Clip{a.Clip}}
	}
	if a := v.RemoveClip; a != nil {
		o.RemoveClips = &RemoveClips{a.Track, []string{a.ID}}
	}
	if a := v.SetRoute; a != nil {
		o.SetSends = &SetSends{a.Track, sends(a.Route)}
	}
	return nil
}
