package picture

import (
	"context"
	"fmt"
	"os"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
)

// Pack says what a file with sound streams is made of.
type Pack struct {
	Kind    string   // mov, mxf, mp4 or matroska
	Picture string   // a file whose picture is copied untouched; empty for none
	Cut     *Cutting // a stretch of it alone; nil for all of it
	Sounds  []string // WAV files of our own, each a stream; none where the picture stands alone
	Titles  []string // of the streams; empty for none
	Fields  []*Field // sound fields that streams are marked as, in a MOV or MP4; nil for none
	// Headset is how the picture is marked to be seen with a headset; nil for as it was marked, which a MOV or MP4 keeps.
	Headset *Headset
	Coding  audio.Coding
	AAC     bool   // sound is compressed
	Start   string // timecode; empty for none
	// Rate is what Start counts in, and Frames how many of them there are: for a QuickTime file without a picture, which gets a
	// timecode track all the same.
	Rate   timecode.Rate
	Frames int64
	Out    string // where it is written
}

// pcmCodec is how ffmpeg calls a coding as a container holds it.
func pcmCodec(c audio.Coding, kind string) (string, error) {
	codec := map[audio.Coding]string{audio.S16: "pcm_s16le", audio.S24: "pcm_s24le", audio.S32: "pcm_s32le", audio.F32: "pcm_f32le"}[c]
	if codec == "" || kind == "mxf" && (c == audio.F32 || c == audio.S32) {
		return "", snag.Refuse("coding_differs", "a %s does not hold samples of %s as they are", kind, c)
	}
	return codec, nil
}

// Write writes the file: the picture's packets, and each sound as a stream.
func (p Pack) Write(ctx context.Context) error {
	codec, err := "", error(nil)
	switch {
	case len(p.Sounds) == 0 && p.Picture == "":
		return snag.Refuse("no_sound", "there is neither sound nor a picture to write")
	case p.AAC:
		codec = "aac"
	case len(p.Sounds) > 0:
		codec, err = pcmCodec(p.Coding, p.Kind)
	}
	if err != nil {
		return err
	}
	if marks := p.Kind == "mov" || p.Kind == "mp4"; marks && p.Picture != "" && p.Headset == nil {
		p.Headset, _ = ReadHeadset(p.Picture) // marks that can't be read are left out, and so said where the file is looked at
	}
	if p.Cut != nil {
		// By itself, as the frames of a picture that are left end all that is written beside it.
		cut := p.Out + ".cut.mov"
		defer os.Remove(cut)
		if err := p.Cut.write(ctx, p.Picture, cut); err != nil {
			return err
		}
		p.Picture = cut
	}
	c := call{program: "ffmpeg", before: []string{"-nostdin", "-y"}, wall: decodeTime}
	sounds := p.Sounds
	first := 0
	var maps []string
	if p.Picture != "" {
		c.in, first = p.Picture, 1
		maps = append(maps, "-map", "0:v:0")
	} else {
		c.in, c.kind, sounds = sounds[0], "wav", sounds[1:]
		c.before = append(c.before, p.noGuess()...)
	}
	for _, s := range sounds {
		c.after = append(append(c.after, p.noGuess()...), "-f", "wav", "-i", "file:"+s)
	}
	clock := ""
	if p.Picture == "" && p.Kind == "mov" && p.Start != "" && !p.Rate.Zero() {
		at, err := p.Rate.Parse(p.Start)
		if err != nil {
			return err
		}
		clock = p.Sounds[0] + ".clock.mov"
		defer os.Remove(clock)
		if err := writeClock(clock, p.Rate, at, p.Frames); err != nil {
			return err
		}
		c.after = append(c.after, "-i", "file:"+clock)
	}
	if p.AAC && len(p.Sounds) > 0 {
		maps = append(maps, "-b:a", "320k") // what is said of one stream comes after it
	}
	for i := range p.Sounds {
		maps = append(maps, "-map", fmt.Sprintf("%d:a:0", first+i))
		if p.AAC && i < len(p.Fields) && p.Fields[i] != nil {
			if !p.Fields[i].InAAC() {
				return snag.Refuse("bad_field", "a sound field of %d channels can't be coded as AAC: 4, 6 and 16 can be", p.Fields[i].Channels())
			}
			maps = append(maps, fmt.Sprintf("-filter:a:%d", i), p.Fields[i].inOrder(), fmt.Sprintf("-b:a:%d", i), fmt.Sprintf("%dk", aacEach*p.Fields[i].Channels()))
		}
		if i < len(p.Titles) && p.Titles[i] != "" {
			maps = append(maps, fmt.Sprintf("-metadata:s:a:%d", i), "title="+p.Titles[i], fmt.Sprintf("-metadata:s:a:%d", i), "handler_name="+p.Titles[i])
		}
	}
	if clock != "" {
		maps = append(maps, "-map", fmt.Sprintf("%d:d:0", len(p.Sounds)), "-c:d", "copy")
	}
	c.after = append(append(c.after, maps...), "-c:v", "copy")
	if len(p.Sounds) > 0 {
		c.after = append(c.after, "-c:a", codec)
	}
	c.after = append(c.after, "-map_metadata", "0")
	switch {
	case p.Start != "" && p.Kind == "matroska": // which has a tag for it
		c.after = append(c.after, "-metadata", "timecode="+p.Start, "-metadata:s:v:0", "timecode="+p.Start)
	case p.Start != "" && clock == "":
		c.after = append(c.after, "-timecode", p.Start)
	}
	c.after = append(c.after, "-bitexact", "-f", p.Kind, "file:"+p.Out)
	_, err = c.run(ctx)
	if err == nil && clock != "" && p.Rate.Drop {
		err = dropFrames(p.Out)
	}
	if err == nil && (p.Kind == "mov" || p.Kind == "mp4") {
		if err = markFields(p.Out, p.Fields); err == nil && p.Headset != nil {
			err = markHeadset(p.Out, *p.Headset)
		}
	}
	if err != nil && snag.Of(err).Code == "picture_unreadable" {
		return snag.Refuse("not_wrapped", "a %s can't hold this picture with this sound as they are: %s", strings.ToUpper(p.Kind), snag.Of(err).Message)
	}
	return err
}

// noGuess keeps ffmpeg from taking channels that no mask gives speakers for those of a layout by their number: six channels in film
// order, or a sound field with its pair, are no 5.1. What is coded as AAC needs to be told one for a pair.
func (p Pack) noGuess() []string {
	if p.AAC {
		return []string{"-guess_layout_max", "2"}
	}
	return []string{"-guess_layout_max", "0"}
}

// FLACLayout is what readers take so many channels of a FLAC file for, in that order: its standard (RFC 9639, 9.1.3) has no other
// way to say it.
func FLACLayout(channels int) []audio.Speaker {
	return map[int][]audio.Speaker{
		1: {"C"}, 2: {"L", "R"}, 3: {"L", "R", "C"}, 4: {"L", "R", "Ls", "Rs"}, 5: {"L", "R", "C", "Ls", "Rs"}, 6: {"L", "R", "C", "LFE", "Ls", "Rs"},
		8: {"L", "R", "C", "LFE", "Lsr", "Rsr", "Lss", "Rss"},
	}[channels]
}

// WriteFLAC writes a WAV file of ours as FLAC.
func WriteFLAC(ctx context.Context, sound, out string) error {
	c := call{program: "ffmpeg", in: sound, kind: "wav", before: []string{"-nostdin", "-y"}, wall: decodeTime}
	c.after = []string{"-map", "0:a:0", "-c:a", "flac", "-compression_level", "5", "-map_metadata", "-1", "-bitexact", "-f", "flac", "file:" + out}
	_, err := c.run(ctx)
	return err
}

// Streams writes each sound stream of a file into a WAV of its own in a folder, in the coding it has.
func (i *Info) Streams(ctx context.Context, path, tmp string) ([]string, error) {
	return i.decode(ctx, path, tmp, Stream.Coding)
}

// Packets is a hash of the picture's packets: MD5, as ffmpeg works it out.
func Packets(ctx context.Context, path string) (string, error) { return packets(ctx, path) }

// Facts is what ffprobe says of the sound streams of a file. kind is how ffmpeg calls the container, empty for those of
// pictures.
func Facts(ctx context.Context, path, kind string) ([]Stream, error) {
	out, err := call{program: "ffprobe", in: path, kind: kind, before: []string{"-of", "json", "-show_streams", "-show_format"}, wall: probeTime}.run(ctx)
	if err != nil {
		return nil, err
	}
	info, err := parse(out)
	if err != nil {
		return nil, err
	}
	return info.Sound, nil
}

// Covers is which samples since midnight a file's picture lies over, at a sample rate, by its timecode track and the number
// of its frames; from -1 on where no timecode says where it starts.
func (i *Info) Covers(sampleRate int) (from, to int64, err error) {
	if i.Picture == nil {
		return 0, 0, snag.Refuse("no_picture", "the file has no picture")
	}
	n := i.Picture.Samples(sampleRate)
	from, _, ok := i.Start(sampleRate)
	if !ok {
		from = -1
	}
	return from, from + n, nil
}
