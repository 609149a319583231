package delivery

import (
	"io"
	"slices"
	"strings"

	"zestyloom/core/aiff"
	"zestyloom/core/wave"
)

// Frames is what takes interleaved samples and becomes a file.
type Frames interface {
	io.Writer
	Close() error
}

// Container is a kind of file that a spec may ask for: all that differs from one to another.
type Container struct {
	Extension string
	Names     []string // what readers say that it is; the first is what is asked for
	Codings   []string // of samples in it
	Channels  int      // at most; 0 is any number
	Picture   bool     // made for pictures: it holds sound alone where there is none
	Needs     bool     // a picture
	Beside    bool     // made by ffmpeg, of WAV files that lie beside it meanwhile
	// Writer begins a file of one that is not.
	Writer func(w io.WriteSeeker, o wave.Options) (Frames, error)

	Broadcast bool // a WAV, with a bext chunk
	Bare      bool // has no place for a start, nor for names of channels
	Mask      bool // has a place for the mask of speakers of WAVEFORMATEXTENSIBLE
	Described bool // has a place for a description by the audio definition model
	Starts    bool // of pictures: says where it starts without one, too
	Titles    bool // of pictures: names its streams
	Fields    bool // of pictures: says which of its streams are sound fields

	Demuxer string // what ffprobe calls it; empty where it tells from the first bytes
	Padded  bool   // ffprobe takes its padding at the end for sound
	Sndfile bool   // sndfile-info reads it
}

var pcm = []string{"s16", "s24", "s32", "f32"}

// Containers are those that files may be written in, by the names that specs call them by.
var Containers = map[string]Container{
	"wav":  {Writer: writeWAV, Extension: ".wav", Names: []string{"RIFF", "RF64"}, Codings: pcm, Broadcast: true, Mask: true, Demuxer: "wav", Sndfile: true},
	"rf64": {Writer: writeWAV, Extension: ".wav", Names: []string{"RF64"}, Codings: pcm, Broadcast: true, Mask: true, Demuxer: "wav", Sndfile: true},
	"bw64": {Writer: writeWAV, Extension: ".wav", Names: []string{"BW64"}, Codings: pcm, Broadcast: true, Mask: true, Described: true, Demuxer: "wav"},
	"w64":  {Writer: writeW64, Extension: ".w64", Names: []string{"W64"}, Codings: pcm, Mask: true, Demuxer: "w64", Padded: true, Sndfile: true},
	"aiff": {Writer: writeAIFF, Extension: ".aif", Names: []string{"AIFF-C", "AIFF"}, Codings: pcm, Demuxer: "aiff", Sndfile: true},
	"flac": {Extension: ".flac", Names: []string{"FLAC"}, Codings: pcm[:2], Channels: 8, Beside: true, Bare: true, Demuxer: "flac", Sndfile: true},
	"mov":  {Extension: ".mov", Names: []string{"MOV"}, Codings: pcm, Picture: true, Beside: true, Mask: true, Starts: true, Titles: true, Fields: true},
	"mxf":  {Extension: ".mxf", Names: []string{"MXF"}, Codings: pcm[:2], Picture: true, Needs: true, Beside: true, Mask: true, Starts: true},
	"mp4":  {Extension: ".mp4", Names: []string{"MP4", "MOV"}, Codings: []string{"aac"}, Picture: true, Beside: true, Mask: true, Fields: true},
}

func writeWAV(w io.WriteSeeker, o wave.Options) (Frames, error)  { return wave.NewWriter(w, o) }
func writeW64(w io.WriteSeeker, o wave.Options) (Frames, error)  { return wave.NewWriter64(w, o) }
func writeAIFF(w io.WriteSeeker, o wave.Options) (Frames, error) { return aiff.NewWriter(w, o) }

// Sounds are the names of those that are made for sound alone.
func Sounds() (names []string) {
	for _, name := range containerOrder {
		if !Containers[name].Picture {
			names = append(names, name)
		}
	}
	return names
}

// containerOrder is that in which they are listed.
var containerOrder = []string{"wav", "rf64", "bw64", "w64", "aiff", "flac", "mov", "mxf", "mp4"}

// framed reports whether a file of a plan says where it starts by a track of timecode, which counts whole frames.
func (p Plan) framed() bool {
	packing, _ := p.Order.Spec.Packing(p.Order.Packing)
	return slices.ContainsFunc(packing.Files, func(r FileRule) bool { return Containers[r.Container].Picture && r.Picture != PictureAlone })
}

// containersSay lists them in words.
func containersSay() string {
	last := len(containerOrder) - 1
	return strings.Join(containerOrder[:last], ", ") + " and " + containerOrder[last]
}
