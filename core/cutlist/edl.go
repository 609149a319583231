package cutlist

import (
	"fmt"
	"path"
	"regexp"
	"strconv"
	"strings"

	"zestyloom/core/timecode"
)

// An event's line: number, reel, track, transition with its frames, four timecodes.
var edlEvent = regexp.MustCompile(`^(\d{1,6})\s+(\S.*?)\s+(V|A\d*|AA|AA/V|A/V|B|NONE|A\d*/V)\s+(C|D|W\d{1,3}|K\s?[BO]?)\s+(?:(\d{1,3})\s+)?(\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d)\s+(\d\d[:;.]\d\d[:;.]\d\d[:;.]\d\d)\s*$`)

// numbered is how the line of an event begins.
var numbered = regexp.MustCompile(`^\d{3,6}\s`)

// blackReels are sources that stand for nothing.
var blackReels = map[string]bool{"BL": true, "BLACK": true}

func parseEDL(text string, rate timecode.Rate, sampleRate int64) (List, error) {
	l := List{Kind: "edl"}
	lines := strings.Split(strings.ReplaceAll(text, "\r", ""), "\n")
	last := -1 // the event that comments are about
	for n, line := range lines {
		line = strings.TrimSpace(line)
		upper := strings.ToUpper(line)
		switch {
		case line == "":
		case strings.HasPrefix(upper, "TITLE:"):
			l.Title = strings.TrimSpace(line[len("TITLE:"):])
		case strings.HasPrefix(upper, "FCM:"):
			// Drop-frame or not: the production's counting is what holds, and a list of the other is told.
			if drop := !strings.Contains(upper, "NON"); drop != rate.Drop {
				l.Left = append(l.Left, fmt.Sprintf("line %d says %s, and the production counts %s: its own counting was used", n+1, line, rate))
			}
		case strings.HasPrefix(upper, "* FROM CLIP NAME:") || strings.HasPrefix(upper, "* CLIP NAME:"):
			if last >= 0 && l.Events[last].Name == "" {
				l.Events[last].Name = strings.TrimSpace(line[strings.Index(line, ":")+1:])
			}
		case strings.HasPrefix(upper, "* SOURCE FILE:"):
			if last >= 0 {
				name := strings.TrimSpace(line[len("* SOURCE FILE:"):])
				l.Events[last].File = name
				if l.Events[last].Name == "" {
					l.Events[last].Name = strings.TrimSuffix(name, path.Ext(name))
				}
			}
		case strings.HasPrefix(upper, "* TO CLIP NAME:"):
			if last >= 0 {
				l.Events[last].Name = strings.TrimSpace(line[strings.Index(line, ":")+1:])
			}
		case strings.HasPrefix(upper, "* SCENE:"):
			if last >= 0 {
				l.Events[last].Scene = strings.TrimSpace(line[len("* SCENE:"):])
			}
		case strings.HasPrefix(upper, "* TAKE:"):
			if last >= 0 {
				l.Events[last].Take = strings.TrimSpace(line[len("* TAKE:"):])
			}
		case strings.HasPrefix(upper, "M2 "):
			l.Left = append(l.Left, fmt.Sprintf("line %d changes the speed (%s): the sound is laid at its own", n+1, line))
		case line[0] == '*', line[0] == '>':
		default:
			e, kind, ok, err := edlLine(line, rate, sampleRate)
			if err != nil {
				return l, bad("line %d: %v", n+1, err)
			}
			if !ok {
				if numbered.MatchString(line) {
					return l, bad("line %d: %q is no event: expected a number, a reel, a track, C or D, and four timecodes", n+1, cutShort(line))
				}
				continue // words of other programs
			}
			switch {
			case kind == "wipe":
				l.Left = append(l.Left, fmt.Sprintf("line %d is a wipe: it was taken as a dissolve", n+1))
			case kind == "backwards":
				l.Left = append(l.Left, fmt.Sprintf("line %d runs its source backwards: it was left out", n+1))
				last = -1
				continue
			case kind == "freeze":
				l.Left = append(l.Left, fmt.Sprintf("line %d holds a frame of its source, which has no sound: it was left out", n+1))
				last = -1
				continue
			case strings.HasPrefix(kind, "speed"):
				l.Left = append(l.Left, fmt.Sprintf("line %d plays its source at another %s: its sound is laid at its own speed, from the same place", n+1, kind))
			case kind == "key":
				l.Left = append(l.Left, fmt.Sprintf("line %d is a key: it was left out", n+1))
				continue
			}
			if blackReels[strings.ToUpper(e.Reel)] || e.Length <= 0 {
				last = -1
				continue
			}
			// Sound that the list has besides the picture is of the same source: once is enough.
			if k := len(l.Events) - 1; k >= 0 && sameCut(l.Events[k], e) {
				last = k
				continue
			}
			l.Events = append(l.Events, e)
			last = len(l.Events) - 1
		}
	}
	return l, nil
}

// sameCut reports whether two events are one cut of picture and sound.
func sameCut(a, b Event) bool {
	return a.Reel == b.Reel && a.In == b.In && a.At == b.At && a.Length == b.Length
}

func cutShort(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return s
}

// edlLine reads the line of an event.
func edlLine(line string, rate timecode.Rate, sampleRate int64) (e Event, kind string, ok bool, err error) {
	m := edlEvent.FindStringSubmatch(line)
	if m == nil {
		return e, "", false, nil
	}
	e = Event{Number: m[1], Reel: strings.TrimSpace(m[2])}
	var at [4]int64 // frames
	for i := range at {
		if at[i], err = rate.Parse(m[6+i]); err != nil {
			return e, "", false, err
		}
	}
	day := rate.DayFrames()
	if at[3] < at[2] { // past midnight
		at[3] += day
	}
	played, recorded := at[1]-at[0], at[3]-at[2]
	if played < 0 && (played+day == recorded || played+day < day/2) {
		played += day
	}
	switch {
	case recorded > day/2:
		return e, "", false, fmt.Errorf("it is recorded from %s to %s, backwards", m[8], m[9])
	case played < 0:
		kind = "backwards"
	case played == recorded, recorded == 0:
	case played <= 1:
		kind = "freeze"
	default:
		kind = fmt.Sprintf("speed %.0f %%", 100*float64(played)/float64(recorded))
	}
	e.In, e.At = rate.SampleAt(at[0], sampleRate), rate.SampleAt(at[2], sampleRate)
	e.Length = rate.SampleAt(at[3], sampleRate) - e.At
	switch m[4][0] {
	case 'D', 'W':
		frames, _ := strconv.ParseInt(m[5], 10, 64)
		e.Fade = min(rate.SampleAt(at[2]+frames, sampleRate)-e.At, e.Length)
		if m[4][0] == 'W' {
			kind = "wipe"
		}
	case 'K':
		kind = "key"
	}
	return e, kind, true, nil
}
