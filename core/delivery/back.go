package delivery

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/weave"
)

// Given is a finished file that is laid as it was sent: a master, or a stem of one.
type Given struct {
	Name    string // of the file
	Start   int64  // samples since midnight, -1 where it does not say
	Frames  int64
	Labels  []string // of its channels, "" where it does not say
	Strands []string // the caller's names for its channels
}

// given is a channel of a given file.
type given struct {
	base    string
	speaker audio.Speaker
	file    int
	channel int
}

// LayBack lays finished files as they were sent: channels that are the speakers of one layout and named alike are one
// track, everything else a mono track; each track is a stem of its own with its outputs, in the order of the channels. What
// does not say when it starts starts with the first that does.
func LayBack(files []Given, newID func() string) (reel.Reel, error) {
	r := reel.Reel{Tracks: []reel.Track{}, Weave: weave.Weave{Sends: map[string][]weave.Send{}}}
	start := int64(-1)
	for _, f := range files {
		if f.Start >= 0 && (start < 0 || f.Start < start) {
			start = f.Start
		}
	}
	all := channelsOf(files)
	names := map[string]int{}
	used := make([]bool, len(all))
	for i, ch := range all {
		if used[i] {
			continue
		}
		members, layout := together(files, all, used, i)
		name := ch.base
		if name == "" {
			name = fmt.Sprint("Channel ", i+1)
		}
		if layout.Count == 1 && ch.speaker != "" {
			name = strings.TrimSpace(name + " " + string(ch.speaker))
		}
		if names[strings.ToLower(name)]++; names[strings.ToLower(name)] > 1 {
			name = fmt.Sprintf("%s %d", name, names[strings.ToLower(name)])
		}
		if len(name) > 60 {
			name = strings.ToValidUTF8(name[:60], "")
		}
		t := reel.Track{ID: newID(), Label: name, Layout: layout.Name}
		clip := reel.Clip{ID: newID(), Name: files[ch.file].Name, Length: files[ch.file].Frames, Strands: make([]string, layout.Count)}
		for c, k := range members {
			m := all[k]
			used[k] = true
			clip.Strands[c] = files[m.file].Strands[m.channel]
			clip.Length = min(clip.Length, files[m.file].Frames)
		}
		if clip.At = files[ch.file].Start; clip.At < 0 {
			clip.At = max(0, start)
		}
		if clip.Length > 0 {
			t.Clips = []reel.Clip{clip}
		}
		b := weave.Bus{ID: newID(), Name: name, Role: weave.Stem, Kind: take.StemKind(name), Layout: layout.Name}
		r.Tracks, r.Weave.Buses = append(r.Tracks, t), append(r.Weave.Buses, b)
		r.Weave.Sends[t.ID] = []weave.Send{{To: b.ID}}
		r.Weave.Outputs, r.Weave.Groups = outputsOf(r.Weave, b, layout, members, newID)
	}
	if len(r.Tracks) == 0 {
		return r, snag.Refuse("no_sound", "there is nothing to lay: no file with sound was given")
	}
	if start >= 0 {
		r.Start = &start
	}
	return r, r.Check()
}

// outputsOf adds the outputs of a stem, in the order in which its channels were sent; a group where that is the layout's.
func outputsOf(w weave.Weave, b weave.Bus, l audio.Layout, members []int, newID func() string) ([]weave.Output, []weave.Group) {
	outs, groups := w.Outputs, w.Groups
	order := make([]int, l.Count)
	for c := range order {
		order[c] = c
	}
	slices.SortFunc(order, func(x, y int) int { return members[x] - members[y] })
	group := ""
	if l.Count > 1 && slices.IsSorted(order) {
		group = newID()
		groups = append(groups, weave.Group{ID: group, Layout: l.Name})
	}
	for _, c := range order {
		if len(outs) == weave.MaxOutputs {
			break
		}
		name := b.Name
		if l.Count > 1 {
			name += " " + l.Channel(c)
		}
		if len(name) > 60 {
			name = strings.ToValidUTF8(name[:56], "") + " " + l.Channel(c)
		}
		outs = append(outs, weave.Output{Name: name, Bus: b.ID, Channel: c, Group: group})
	}
	return weave.Regroup(outs, groups)
}

// channelsOf are the channels of all files, by name and speaker.
func channelsOf(files []Given) (all []given) {
	for i, f := range files {
		stem := strings.TrimSuffix(path.Base(f.Name), path.Ext(f.Name))
		for c := range f.Strands {
			g := given{file: i, channel: c}
			if c < len(f.Labels) {
				g.base, g.speaker = take.LabelSpeaker(f.Labels[c])
			}
			if g.base == "" && g.speaker == "" {
				if g.base = stem; len(f.Strands) == 1 {
					g.base, g.speaker = take.LabelSpeaker(stem)
				}
			}
			if g.base == "" {
				g.base = stem
			}
			all = append(all, g)
		}
	}
	return all
}

// together are the channels that form a layout with channel i, in the layout's order: of its own file as far as that has
// more than one, else of all files of one channel.
func together(files []Given, all []given, used []bool, i int) ([]int, audio.Layout) {
	var set []int
	var speakers []audio.Speaker
	one := len(files[all[i].file].Strands) == 1
	for k := i; k < len(all); k++ {
		a := all[k]
		same := a.file == all[i].file || one && len(files[a.file].Strands) == 1
		if used[k] || !same || !strings.EqualFold(a.base, all[i].base) || a.speaker == "" || slices.Contains(speakers, a.speaker) {
			continue
		}
		set, speakers = append(set, k), append(speakers, a.speaker)
	}
	l, ok := audio.LayoutOf(speakers)
	if !ok || len(set) < 2 || l.Name == "mid-side" {
		return []int{i}, mono
	}
	out := make([]int, l.Count)
	for n, s := range speakers {
		out[l.Index(s)] = set[n]
	}
	return out, l
}
