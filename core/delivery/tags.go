package delivery

import (
	"fmt"
	"path"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/picture"
)

// maskTags are the names that ffprobe has for the layouts of channel masks.
var maskTags = map[uint32][]string{
	0x33: {"quad"}, 0x37: {"5.0"}, 0x3F: {"5.1"}, 0x607: {"5.0(side)"}, 0x60F: {"5.1(side)"}, 0x63F: {"7.1"},
}

// tagged stops what a container would say wrong of its channels: FLAC has no way to say anything but the layout that goes with
// their number.
func (p *Plan) tagged(f File) {
	if f.Container != "flac" || len(f.Channels) < 3 {
		return
	}
	taken := picture.FLACLayout(len(f.Channels))
	if len(f.Groups) == 1 {
		l, err := audio.ParseLayout(f.Groups[0].Layout)
		if err == nil && l.Kind == audio.Bed && slices.Equal(l.Speakers, taken) {
			return
		}
	}
	p.problem(true, "delivery", "layout_tagged", "%s would be taken for %s: a FLAC of %d channels has no other way to say what they are; choose another container, or a file for each group", path.Base(f.Name), audio.NameOrder(taken), len(f.Channels))
}

// tag lists what ffprobe may call the layout of a stream of a file with pictures, or of a FLAC, the likeliest first; empty for none.
// What the mask of a WAV says is compared by itself.
func (s stream) tag(f File) []string {
	if f.Container == "flac" {
		return map[int][]string{3: {"3.0"}, 4: {"quad"}, 5: {"5.0", "5.0(side)"}, 6: {"5.1", "5.1(side)"}, 7: {"6.1"}, 8: {"7.1"}}[s.count]
	}
	if names, ok := maskTags[s.mask]; ok && Containers[f.Container].Mask {
		return append(slices.Clone(names), "") // a tag may be left away
	}
	return []string{""}
}

func tagSays(tag string) string {
	if tag == "" {
		return "none"
	}
	return tag
}

func streamSays(i, of int) string {
	if of == 1 {
		return "the sound"
	}
	return fmt.Sprintf("stream %d", i+1)
}
