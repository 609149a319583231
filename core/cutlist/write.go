package cutlist

import (
	"encoding/json"
	"fmt"
	"io"
	"net/url"
	"slices"

	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/weave"
)

// Media is the file that a strand is a channel of.
type Media struct {
	Name   string // of the file
	Roll   string // that it is of
	Start  int64  // samples since midnight by its timecode, at the reel's rate
	Frames int64
}

// ours is the key of our own facts in metadata.
const ours = "zestyloom"

// otioFormat is the version of what stands under it.
const otioFormat = 1

type object = map[string]any

func otioTime(samples, rate int64) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "value": float64(samples), "rate": float64(rate)}
}

func otioRange(start, length, rate int64) object {
	return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": otioTime(start, rate), "duration": otioTime(length, rate)}
}

// otioColours are the colours of OpenTimelineIO's markers that come nearest to ours.
var otioColours = map[string]string{"": "YELLOW", "citron": "YELLOW", "tangerine": "ORANGE", "plum": "PURPLE", "lime": "GREEN", "sea": "CYAN"}

// WriteOTIO writes a reel as an OpenTimelineIO document: a track a track, with its clips, the gaps between them, crossfades as
// transitions, markers, and media by file name with its timecode. Times are samples at the reel's rate, and so exact. What
// OpenTimelineIO has no words for stands under a key of our own, by which ReadReel makes the same reel again.
func WriteOTIO(w io.Writer, name string, r reel.Reel, rate int64, media func(strand string) (Media, bool)) error {
	start, _ := r.Span()
	var tracks []any
	for _, t := range r.Tracks {
		bare := t
		bare.Clips = []reel.Clip{}
		tracks = append(tracks, object{
			"OTIO_SCHEMA": "Track.1", "name": t.Label, "kind": "Audio", "enabled": !t.Off,
			"children": otioClips(t, start, rate, media), "metadata": object{ours: object{"track": bare}},
		})
	}
	if len(r.Pictures) > 0 {
		tracks = slices.Insert(tracks, 0, any(object{
			"OTIO_SCHEMA": "Track.1", "name": "Picture", "kind": "Video", "enabled": true,
			"children": otioPictures(r.Pictures, start, rate), "metadata": object{ours: object{"picture": true}},
		}))
	}
	var markers []any
	for _, m := range r.Markers {
		markers = append(markers, object{
			"OTIO_SCHEMA": "Marker.2", "name": m.Name, "color": otioColours[m.Colour], "comment": m.Note,
			"marked_range": otioRange(m.At-start, m.Length, rate), "metadata": object{ours: object{"marker": m}},
		})
	}
	doc := object{
		"OTIO_SCHEMA": "Timeline.1", "name": name, "global_start_time": otioTime(start, rate),
		"tracks":   object{"OTIO_SCHEMA": "Stack.1", "name": "tracks", "children": list(tracks), "markers": list(markers)},
		"metadata": object{ours: object{"pictures": r.Pictures, "format": otioFormat, "rate": rate, "start": r.Start, "length": r.Length, "timecode": r.Rate, "weave": r.Weave}},
	}
	e := json.NewEncoder(w)
	e.SetIndent("", " ")
	e.SetEscapeHTML(false)
	return e.Encode(doc)
}

func list(all []any) []any {
	if all == nil {
		return []any{}
	}
	return all
}

// otioClips are the clips of a track, one after the other: OpenTimelineIO's don't overlap, a crossfade is a transition about
// the place where they meet.
func otioClips(t reel.Track, start, rate int64, media func(strand string) (Media, bool)) []any {
	out := []any{}
	at := start
	for i, c := range t.Clips {
		from, to := c.At, c.End()
		if i > 0 {
			if before := t.Clips[i-1]; before.End() > c.At {
				from = c.At + (before.End()-c.At)/2
				out = append(out, object{"OTIO_SCHEMA": "Transition.1", "name": "crossfade", "transition_type": "SMPTE_Dissolve",
					"in_offset": otioTime(from-c.At, rate), "out_offset": otioTime(before.End()-from, rate)})
			}
		}
		if i+1 < len(t.Clips) {
			if next := t.Clips[i+1]; next.At < to {
				to = next.At + (to-next.At)/2
			}
		}
		if from > at {
			out = append(out, object{"OTIO_SCHEMA": "Gap.1", "name": "", "source_range": otioRange(0, from-at, rate)})
		}
		if early := start - from; early > 0 { // before the reel begins: it is in our own facts
			from = min(to, start)
		}
		at = max(at, to)
		if to <= from {
			continue
		}
		ref := object{"OTIO_SCHEMA": "MissingReference.1", "name": c.Name}
		in := c.In + from - c.At
		if m, ok := media(c.Strands[0]); ok {
			in += m.Start
			ref = object{"OTIO_SCHEMA": "ExternalReference.1", "name": m.Name, "target_url": url.PathEscape(m.Name), "available_range": otioRange(m.Start, m.Frames, rate)}
		}
		out = append(out, object{
			"OTIO_SCHEMA": "Clip.2", "name": c.Name, "source_range": otioRange(in, to-from, rate),
			"media_references": object{"DEFAULT_MEDIA": ref}, "active_media_reference_key": "DEFAULT_MEDIA",
			"metadata": object{ours: object{"clip": c}},
		})
	}
	return out
}

// otioPictures are what is seen, one after the other, with the gaps between.
func otioPictures(all []reel.Picture, start, rate int64) []any {
	out := []any{}
	at := start
	for _, p := range all {
		from := max(p.At, start)
		if p.End() <= from {
			continue
		}
		if from > at {
			out = append(out, object{"OTIO_SCHEMA": "Gap.1", "name": "", "source_range": otioRange(0, from-at, rate)})
		}
		out = append(out, object{
			"OTIO_SCHEMA": "Clip.2", "name": p.Name, "source_range": otioRange(p.In+from-p.At, p.End()-from, rate),
			"media_references":           object{"DEFAULT_MEDIA": object{"OTIO_SCHEMA": "ExternalReference.1", "name": p.Name, "target_url": url.PathEscape(p.Name)}},
			"active_media_reference_key": "DEFAULT_MEDIA",
		})
		at = p.End()
	}
	return out
}

// ReadReel makes a reel again of a document that WriteOTIO has written; false where it is another's.
func ReadReel(b []byte) (r reel.Reel, ok bool, err error) {
	if len(b) > MaxBytes {
		return r, false, snag.Refuse("too_large", "a document of %d bytes: at most %d MiB", len(b), MaxBytes>>20)
	}
	type own[T any] struct {
		Ours *T `json:"zestyloom"`
	}
	var doc struct {
		Tracks struct {
			Children []struct {
				Metadata own[struct {
					Track   *reel.Track `json:"track"`
					Picture bool        `json:"picture"`
				}] `json:"metadata"`
				Children []struct {
					Metadata own[struct {
						Clip *reel.Clip `json:"clip"`
					}] `json:"metadata"`
				} `json:"children"`
			} `json:"children"`
			Markers []struct {
				Metadata own[struct {
					Marker *reel.Marker `json:"marker"`
				}] `json:"metadata"`
			} `json:"markers"`
		} `json:"tracks"`
		Metadata own[struct {
			Format int    `json:"format"`
			Start  *int64 `json:"start"`
			Length *int64 `json:"length"`
			// Timecode is what it counts in, where that is the reel's own.
			Timecode *timecode.Rate `json:"timecode"`
			Weave    weave.Weave    `json:"weave"`
			// Pictures are on a track of their own, too, that other programs see.
			Pictures []reel.Picture `json:"pictures"`
		}] `json:"metadata"`
	}
	if err := json.Unmarshal(b, &doc); err != nil {
		return r, false, bad("%v", err)
	}
	top := doc.Metadata.Ours
	if top == nil {
		return r, false, nil
	}
	if top.Format > otioFormat {
		return r, true, bad("it was written by a newer version of the program (format %d, this one reads up to %d)", top.Format, otioFormat)
	}
	r = reel.Reel{Start: top.Start, Length: top.Length, Rate: top.Timecode, Weave: top.Weave, Pictures: top.Pictures, Tracks: []reel.Track{}}
	for i, t := range doc.Tracks.Children {
		if o := t.Metadata.Ours; o != nil && o.Picture {
			continue
		}
		if t.Metadata.Ours == nil || t.Metadata.Ours.Track == nil {
			return r, true, bad("track %d has lost what this program wrote with it", i+1)
		}
		track := *t.Metadata.Ours.Track
		track.Clips = []reel.Clip{}
		for _, c := range t.Children {
			if o := c.Metadata.Ours; o != nil && o.Clip != nil {
				track.Clips = append(track.Clips, *o.Clip)
			}
		}
		r.Tracks = append(r.Tracks, track)
	}
	for _, m := range doc.Tracks.Markers {
		if o := m.Metadata.Ours; o != nil && o.Marker != nil {
			r.Markers = append(r.Markers, *o.Marker)
		}
	}
	if err := r.Check(); err != nil {
		return r, true, fmt.Errorf("the document's reel can't be: %w", err)
	}
	return r, true, nil
}
