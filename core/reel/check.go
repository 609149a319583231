package reel

import (
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// Bounds of what a reel holds.
const (
	MaxTracks = 1000
	MaxClips  = 200_000
	maxLabel  = 200 // bytes of a label or name
	maxNote   = 10_000
	maxOff    = 10_000 // ranges of a clip
)

// Check refuses a reel whose parts don't fit together.
func (r Reel) Check() error {
	if len(r.Tracks) > MaxTracks {
		return snag.Refuse("too_many_tracks", "%d tracks: at most %d", len(r.Tracks), MaxTracks)
	}
	ids := map[string]bool{}
	clips := 0
	for _, t := range r.Tracks {
		if t.ID == "" || ids[t.ID] {
			return snag.Refuse("bad_track", "track %q has no identity of its own", t.Label)
		}
		ids[t.ID] = true
		if err := t.check(); err != nil {
			return err
		}
		for _, c := range t.Clips {
			if ids[c.ID] {
				return snag.Refuse("bad_clip", "clip %s on track %s has no identity of its own", c.Name, t.Label)
			}
			ids[c.ID] = true
		}
		clips += len(t.Clips)
	}
	if clips > MaxClips {
		return snag.Refuse("too_many_clips", "%d clips: at most %d", clips, MaxClips)
	}
	for _, m := range r.Markers {
		if err := m.check(); err != nil {
			return err
		}
	}
	if err := checkPictures(r.Pictures); err != nil {
		return err
	}
	return r.Weave.Check(r.Layouts())
}

// check refuses a track that can't be, or whose clips don't fit on it and beside each other.
func (t Track) check() error {
	layout, err := audio.ParseLayout(t.Layout)
	switch {
	case err != nil:
		return snag.Refuse("bad_track", "track %s: %w", t.Label, err)
	case strings.TrimSpace(t.Label) == "" || len(t.Label) > maxLabel:
		return snag.Refuse("bad_label", "a track needs a label of at most %d letters", maxLabel)
	case !(t.GainDB >= weave.MinGain && t.GainDB <= weave.MaxGain):
		return snag.Refuse("bad_gain", "a gain of %g dB is outside %d to %d dB", t.GainDB, weave.MinGain, weave.MaxGain)
	}
	if t.Place != nil {
		if err := t.Place.Check(); err != nil {
			return err
		}
	}
	if err := t.TreatMoves.Check(); err != nil {
		return err
	}
	if err := t.Treat.Check(); err != nil {
		return err
	}
	if err := t.Gain.Check(weave.MinGain, weave.MaxGain); err != nil {
		return snag.Refuse("bad_gain", "gain over time of track %s: %w", t.Label, err)
	}
	for i, c := range t.Clips {
		if err := c.check(layout); err != nil {
			return err
		}
		if i == 0 {
			continue
		}
		before := t.Clips[i-1]
		over := before.End() - c.At
		// Where one clip goes and the next comes, both may lie: no longer than both fades last, and no third.
		if c.At < before.At || over > 0 && (over > before.FadeOut.Length || over > c.FadeIn.Length || c.End() < before.End()) ||
			i > 1 && t.Clips[i-2].End() > c.At {
			return snag.Refuse("overlap", "%s on track %s would lie over another clip", c.Name, t.Label)
		}
	}
	return nil
}

func (c Clip) check(track audio.Layout) error {
	switch {
	case c.ID == "" || len(c.Strands) == 0 || slices.Contains(c.Strands, "") || c.Length <= 0 || c.At < 0 || c.In < 0,
		c.At > 1<<50, c.In > 1<<50, c.Length > 1<<50:
		return snag.Refuse("bad_clip", "a clip of %d samples at %d can't be laid", c.Length, c.At)
	case len(c.Name) > maxLabel || len(c.Note) > maxNote || len(c.Tie) > maxLabel:
		return snag.Refuse("bad_clip", "the clip at %d has too long a name or note", c.At)
	case !c.FadeIn.known() || !c.FadeOut.known() || c.FadeIn.Length+c.FadeOut.Length > c.Length:
		return snag.Refuse("bad_fade", "%s at %d: both fades together last no longer than the clip, and are of a known shape", c.Name, c.At)
	case !(c.GainDB >= weave.MinGain && c.GainDB <= weave.MaxGain):
		return snag.Refuse("bad_gain", "a gain of %g dB is outside %d to %d dB", c.GainDB, weave.MinGain, weave.MaxGain)
	case len(c.Off) > maxOff:
		return snag.Refuse("bad_clip", "%s at %d: %d ranges are off, at most %d can be", c.Name, c.At, len(c.Off), maxOff)
	}
	if err := c.Gain.Check(weave.MinGain, weave.MaxGain); err != nil {
		return snag.Refuse("bad_gain", "gain over time of %s: %w", c.Name, err)
	}
	for i, o := range c.Off {
		if o.From < 0 || o.To <= o.From || o.Ramp < 0 || 2*o.Ramp > o.To-o.From || i > 0 && o.From < c.Off[i-1].To {
			return snag.Refuse("bad_clip", "%s at %d: the range from %d to %d can't be off", c.Name, c.At, o.From, o.To)
		}
	}
	if c.Layout != "" {
		l, err := audio.ParseLayout(c.Layout)
		if err != nil || l.Count != len(c.Strands) {
			return snag.Refuse("bad_clip", "%s has %d strands, and its layout %q is another", c.Name, len(c.Strands), c.Layout)
		}
	}
	if len(c.Strands) > audio.MaxChannels {
		return snag.Refuse("bad_clip", "%s has %d strands: at most %d", c.Name, len(c.Strands), audio.MaxChannels)
	}
	if c.Patch.Ahead(c.Channels(track), track) != nil {
		return snag.Refuse("bad_patch", "%s can't be matrixed into a track of %s: give the track its own layout, and send it into a bus of that", c.Name, track.Name)
	}
	_, err := c.Patch.Between(c.Channels(track), track)
	return err
}
