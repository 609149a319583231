package cutlist

import (
	"fmt"
	"io"
	"path"
	"strings"

	"zestyloom/core/timecode"
)

// MaxEDLEvents is how many events an edit decision list numbers.
const MaxEDLEvents = 9999

// WriteEDL writes a list as an edit decision list in the CMX style: a line an event, and two where it comes in under the one before.
// Timecodes count whole frames: what begins or ends within one is put on the nearest, and a comment says by how many samples; rounded is how
// many events that were. track is what the list is of: V, A, A2 ...
func WriteEDL(w io.Writer, l List, track string, rate timecode.Rate, sampleRate int64) (rounded int, err error) {
	if len(l.Events) > MaxEDLEvents {
		return 0, fmt.Errorf("an edit decision list numbers %d events at the most, and there are %d: write OpenTimelineIO", MaxEDLEvents, len(l.Events))
	}
	counts := "NON-DROP FRAME"
	if rate.Drop {
		counts = "DROP FRAME"
	}
	var b strings.Builder
	fmt.Fprintf(&b, "TITLE: %s\nFCM: %s\n\n", oneLine(l.Title), counts)
	nearest := func(samples int64) int64 {
		f := rate.FrameAt(samples, sampleRate)
		if at, next := rate.SampleAt(f, sampleRate), rate.SampleAt(f+1, sampleRate); samples-at > next-samples {
			return f + 1
		}
		return f
	}
	day := rate.DayFrames()
	code := func(frame int64) string { return rate.Format(((frame % day) + day) % day) }
	before := ""
	var ended int64
	for i, e := range l.Events {
		at, in := nearest(e.At), nearest(e.In)
		frames := max(1, nearest(e.At+e.Length)-at)
		reel := edlReel(e)
		line := func(transition string, from, to, rec, end int64) {
			fmt.Fprintf(&b, "%03d  %-8s %-5s %-8s %s %s %s %s\n", i+1, reel, track, transition, code(from), code(to), code(rec), code(end))
		}
		if fade := nearest(e.At+e.Fade) - at; fade > 0 {
			now := reel
			if reel = before; reel == "" {
				reel = "BL"
			}
			line("C", ended, ended, at, at)
			reel = now
			line(fmt.Sprintf("D    %03d", fade), in, in+frames, at, at+frames)
		} else {
			line("C", in, in+frames, at, at+frames)
		}
		if e.Name != "" {
			fmt.Fprintf(&b, "* FROM CLIP NAME: %s\n", oneLine(e.Name))
		}
		if e.File != "" {
			fmt.Fprintf(&b, "* SOURCE FILE: %s\n", oneLine(e.File))
		}
		if off := e.At - rate.SampleAt(at, sampleRate); off != 0 || rate.SampleAt(in, sampleRate) != e.In || rate.SampleAt(at+frames, sampleRate) != e.At+e.Length {
			rounded++
			fmt.Fprintf(&b, "* ON THE NEAREST FRAME: %d SAMPLES OF %d HZ BESIDE IT\n", off, sampleRate)
		}
		before, ended = reel, in+frames
	}
	_, err = io.WriteString(w, b.String())
	return rounded, err
}

// edlReel is a source's reel name as a list has it: letters, digits, and what stands between, 32 at the most.
func edlReel(e Event) string {
	name := e.Reel
	if name == "" {
		name = strings.TrimSuffix(e.File, path.Ext(e.File))
	}
	if name == "" {
		name = e.Name
	}
	name = strings.Map(func(r rune) rune {
		switch {
		case r >= '0' && r <= '9', r >= 'A' && r <= 'Z', r >= 'a' && r <= 'z', r == '-', r == '.', r == '_':
			return r
		}
		return '_'
	}, name)
	if name == "" {
		return "AX"
	}
	return name[:min(32, len(name))]
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }
