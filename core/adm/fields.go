package adm

import (
	"math"
	"slices"
	"strings"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
)

// field takes the tracks of a pack of components over as a sound field, in the order that its norm has.
func (r *reader) field(e Element, p xmlPack, uids []string) {
	plain := func(format string, args ...any) {
		r.snag(e.Name+": "+format+": its tracks are taken over as they are", args...)
		e.Layout = discrete(len(uids))
		r.scene.Elements = append(r.scene.Elements, e)
	}
	order := int(math.Sqrt(float64(len(uids)))) - 1
	if (order+1)*(order+1) != len(uids) || order < 0 || order > audio.MaxOrder {
		plain("%d components are no whole order of a sound field", len(uids))
		return
	}
	norm := strings.TrimSpace(p.Norm)
	acn := make([]int, len(uids))
	for i, uid := range uids {
		id := r.channelOf(uid)
		c := r.channels[id]
		if len(c.Blocks) == 0 || c.Blocks[0].Order == nil || c.Blocks[0].Degree == nil {
			plain("which component track %d is, is not said (%s)", e.Tracks[i]+1, id)
			return
		}
		b := c.Blocks[0]
		l, m := *b.Order, *b.Degree
		if l < 0 || l > order || m < -l || m > l {
			plain("track %d is of order %d and degree %d", e.Tracks[i]+1, l, m)
			return
		}
		acn[i] = l*l + l + m
		if v := strings.TrimSpace(b.Norm); v != "" {
			norm = v
		}
	}
	if norm == "" {
		norm = string(audio.SN3D) // the default of BS.2076
	}
	layout, err := audio.AmbisonicLayout(order, audio.Norm(norm))
	if err != nil {
		plain("%v", err)
		return
	}
	tracks := make([]int, len(uids))
	for i := range tracks {
		k := slices.Index(acn, ambisonic.ACN(layout, i))
		if k < 0 {
			plain("component %s is missing", layout.Channel(i))
			return
		}
		tracks[i] = e.Tracks[k]
	}
	e.Layout, e.Tracks = layout, tracks
	r.scene.Elements = append(r.scene.Elements, e)
}
