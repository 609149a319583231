package edit

import (
	"zestyloom/core/reel"
	"zestyloom/core/snag"
)

// LayPicture lays a stretch of a file's picture. What is seen there makes room: it is cut at its edges.
type LayPicture struct {
	File   string `json:"file"`
	Name   string `json:"name"`
	At     int64  `json:"at"`
	In     int64  `json:"in,omitempty"`
	Length int64  `json:"length"`
}

func (o *LayPicture) plan(d *draft) error {
	if o.Length <= 0 || o.At < 0 {
		return snag.Refuse("bad_picture", "a picture of %d samples at %d can't be laid", o.Length, o.At)
	}
	if err := d.unseen(o.At, o.At+o.Length); err != nil {
		return err
	}
	return d.do(reel.Op{SetPictures: &reel.SetPictures{Put: []reel.Picture{
		{ID: d.NewID(), File: o.File, Name: o.Name, At: o.At, In: o.In, Length: o.Length},
	}}})
}

// CutPicture cuts what is seen at a sample in two.
type CutPicture struct {
	At int64 `json:"at"`
}

func (o *CutPicture) plan(d *draft) error {
	n := len(d.ops)
	if err := d.cutPictures(o.At); err != nil {
		return err
	}
	if len(d.ops) == n {
		return snag.Refuse("nothing_to_cut", "no picture lies there that could be cut")
	}
	return nil
}

// cutPictures cuts the picture that lies across a sample, where one does.
func (d *draft) cutPictures(at int64) error {
	for _, p := range d.Pictures {
		if p.At >= at || at >= p.End() {
			continue
		}
		n := at - p.At
		second := p
		second.ID, second.At, second.In, second.Length = d.NewID(), at, p.In+n, p.Length-n
		p.Length = n
		return d.do(reel.Op{SetPictures: &reel.SetPictures{Put: []reel.Picture{p, second}}})
	}
	return nil
}

// unseen takes away what is seen between two samples.
func (d *draft) unseen(from, to int64) error {
	for _, at := range []int64{from, to} {
		if err := d.cutPictures(at); err != nil {
			return err
		}
	}
	var in []string
	for _, p := range d.Pictures {
		if p.At >= from && p.End() <= to {
			in = append(in, p.ID)
		}
	}
	if in == nil {
		return nil
	}
	return d.do(reel.Op{SetPictures: &reel.SetPictures{Remove: in}})
}
